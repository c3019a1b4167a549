/** Draws the ways of numbers: pencil on linen. No React; a line is drawn again only where what it follows from has changed. */
import type { Mover } from '../state/keys';
import type { Key } from '../state/value';
import { PAD } from './weave';

export type Range = { from: number; to: number; low: number; high: number };
export type Line = { mover: Mover; row: number[]; colour: string; low: number; high: number };

/** Room above and below, pixels; the scale of time's stands over it. */
export const [TOP, FOOT] = [22, 10];

/** What is shown of which frames and values, in pixels of a field of some size. */
export class Frame {
  constructor(
    readonly range: Range,
    readonly width: number,
    readonly height: number,
    /** Each line fills the height: they have no unit in common. */
    readonly apart: boolean,
  ) {}

  x = (frame: number) => PAD + ((frame - this.range.from) / Math.max(1e-6, this.range.to - this.range.from)) * (this.width - 2 * PAD);
  frame = (x: number) => this.range.from + ((x - PAD) / Math.max(1, this.width - 2 * PAD)) * (this.range.to - this.range.from);

  /** How many pixels what was drawn of this has moved to the right and down in another, if that differs by nothing else. */
  movedBy(o: Frame): [number, number] | null {
    const alike = (a: number, b: number) => Math.abs(a - b) <= 1e-6 * Math.abs(a);
    const [here, there] = [this.range, o.range];
    const same =
      this.width === o.width &&
      this.height === o.height &&
      this.apart === o.apart &&
      alike(here.to - here.from, there.to - there.from) &&
      alike(here.high - here.low, there.high - there.low);
    if (!same) return null;
    const up = ((there.low - here.low) / (here.high - here.low || 1)) * (this.height - TOP - FOOT);
    return [o.x(here.from) - this.x(here.from), up];
  }

  private ends(l: Line): [number, number] {
    if (!this.apart) return [this.range.low, this.range.high];
    // Zooming is the same for all, each about its own middle.
    const room = l.high - l.low || Math.abs(l.high) || 1;
    return [l.low + this.range.low * room, l.low + this.range.high * room];
  }
  y = (l: Line, value: number) => {
    const [low, high] = this.ends(l);
    return this.height - FOOT - ((value - low) / (high - low || 1)) * (this.height - TOP - FOOT);
  };
  value = (l: Line, y: number) => {
    const [low, high] = this.ends(l);
    return low + ((this.height - FOOT - y) / Math.max(1, this.height - TOP - FOOT)) * (high - low);
  };
}

/** A round number not above one that is wanted. */
function round(wanted: number): number {
  const ten = 10 ** Math.floor(Math.log10(Math.max(wanted, 1e-12)));
  return ([5, 2, 1].find((k) => k * ten <= wanted) ?? 1) * ten;
}

const show = (v: number) => String(Number(v.toPrecision(4)));

/** The linen, with a few threads at round numbers, and the lines on it. */
export function drawLines(c: CanvasRenderingContext2D, f: Frame, lines: Line[], first: number, factor: number, css: CSSStyleDeclaration) {
  const ink = (n: string) => css.getPropertyValue(n).trim();
  c.clearRect(0, 0, f.width, f.height);
  c.font = '11px "Atkinson Hyperlegible Mono"';
  // Warp and weft: dotted, so that nothing looks like squared paper.
  c.setLineDash([1, 5]);
  c.strokeStyle = ink('--line-strong');
  c.fillStyle = ink('--faded');
  c.lineWidth = 1;
  const each = round(((f.range.to - f.range.from) * 70) / f.width) || 1;
  for (let n = Math.ceil(f.range.from / each) * each; n <= f.range.to; n += Math.max(1, each)) {
    const x = Math.round(f.x(n)) + 0.5;
    c.beginPath();
    c.moveTo(x, TOP);
    c.lineTo(x, f.height);
    c.stroke();
  }
  if (!f.apart && lines[0]) {
    const step = round(((f.range.high - f.range.low) * factor * 34) / Math.max(1, f.height - TOP - FOOT)) || 1;
    for (let n = Math.ceil((f.range.low * factor) / step) * step; n <= f.range.high * factor; n += step) {
      const y = Math.round(f.y(lines[0], n / factor)) + 0.5;
      c.beginPath();
      c.moveTo(PAD, y);
      c.lineTo(f.width, y);
      c.stroke();
    }
  }
  c.setLineDash([]);
  // Where lines lie so close that no join is seen they are thin, which is several times as quick to draw.
  const crowded = lines.length > CROWD;
  c.lineJoin = crowded ? 'bevel' : 'round';
  for (const l of lines) {
    c.strokeStyle = l.colour;
    c.lineWidth = crowded ? 1 : 1.6;
    c.beginPath();
    pencil(c, f, l, first);
    c.stroke();
  }
  if (!f.apart && lines[0]) axis(c, f, lines[0], factor, ink);
}

/** The axis of values along the left edge, over the lines: where each thread is, in the unit that is shown. */
function axis(c: CanvasRenderingContext2D, f: Frame, line: Line, factor: number, ink: (n: string) => string) {
  const step = round(((f.range.high - f.range.low) * factor * 34) / Math.max(1, f.height - TOP - FOOT)) || 1;
  const marks: { y: number; text: string }[] = [];
  for (let n = Math.ceil((f.range.low * factor) / step) * step; n <= f.range.high * factor; n += step) {
    const y = Math.round(f.y(line, n / factor)) + 0.5;
    if (y > TOP && y < f.height - 4) marks.push({ y, text: show(Math.abs(n) < 1e-9 * step ? 0 : n) });
  }
  const wide = 9 + Math.max(10, ...marks.map((m) => c.measureText(m.text).width));
  c.globalAlpha = 0.86;
  c.fillStyle = ink('--ground');
  c.fillRect(0, TOP, wide, f.height - TOP);
  c.globalAlpha = 1;
  c.strokeStyle = ink('--line-strong');
  c.fillStyle = ink('--faded');
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(wide + 0.5, TOP);
  c.lineTo(wide + 0.5, f.height);
  for (const { y } of marks) {
    c.moveTo(wide - 3.5, y);
    c.lineTo(wide + 3.5, y);
  }
  c.stroke();
  c.textAlign = 'right';
  c.textBaseline = 'middle';
  for (const { y, text } of marks) c.fillText(text, wide - 5, y);
  c.textAlign = 'left';
  c.textBaseline = 'alphabetic';
}

/** More lines than this at once are drawn thin. */
const CROWD = 24;

/** A line through its values; where several fall on a pixel, through their least and their most. */
function pencil(c: CanvasRenderingContext2D, f: Frame, l: Line, first: number) {
  const n = l.row.length;
  if (n === 0) return;
  if (n === 1) {
    const y = f.y(l, l.row[0]!);
    c.moveTo(f.x(f.range.from), y);
    c.lineTo(f.x(f.range.to), y);
    return;
  }
  const from = Math.max(0, Math.floor(f.range.from - first) - 1);
  const to = Math.min(n - 1, Math.ceil(f.range.to - first) + 1);
  const step = Math.max(1, Math.floor((to - from) / Math.max(1, f.width)));
  for (let k = from; k <= to; k += step) {
    let [low, high] = [l.row[k]!, l.row[k]!];
    for (let n = k + 1; n < Math.min(k + step, to + 1); n += 1) [low, high] = [Math.min(low, l.row[n]!), Math.max(high, l.row[n]!)];
    const x = f.x(first + k);
    if (k === from) c.moveTo(x, f.y(l, l.row[k]!));
    else c.lineTo(x, f.y(l, low));
    if (high > low) c.lineTo(x, f.y(l, high));
  }
}

/** The value of a line at a frame: what its key holds, with what a formula adds there. */
export const valueOf = (l: Line, key: Key, first: number) => l.row[key.frame - first] ?? key.value;

export type Held = { line: Line; key: Key; x: number; y: number };

/** The keys of some lines within what is shown, and a little beside it, where they are on the field. */
export function keysOn(f: Frame, lines: Line[], first: number): Held[] {
  const [from, to] = [f.frame(-BESIDE), f.frame(f.width + BESIDE)];
  const out: Held[] = [];
  for (const line of lines) {
    const keys = line.mover.motion.keys ?? [];
    for (let k = after(keys, from); k < keys.length && keys[k]!.frame <= to; k += 1) {
      const key = keys[k]!;
      out.push({ line, key, x: f.x(key.frame), y: f.y(line, valueOf(line, key, first)) });
    }
  }
  return out;
}

/** Pixels beside the field in which keys are still known. */
const BESIDE = 12;

/** The first of keys in their order that is not before a frame. */
function after(keys: Key[], frame: number): number {
  let [low, high] = [0, keys.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (keys[middle]!.frame < frame) low = middle + 1;
    else high = middle;
  }
  return low;
}

export type Arm = { side: 'arrive' | 'leave'; frames: number; value: number; own: boolean; x: number; y: number };

/** Where the handles of a key of a curve are. One that is left to itself lies along the line, a third of the way to the next key:
 * taken, it becomes the key's own. */
export function handlesOf(f: Frame, h: Held, first: number): Arm[] {
  const keys = h.line.mover.motion.keys ?? [];
  const k = keys.findIndex((o) => o.frame === h.key.frame);
  return (['arrive', 'leave'] as const).flatMap((side): Arm[] => {
    const [sign, other] = side === 'arrive' ? ([-1, keys[k - 1]] as const) : ([1, keys[k + 1]] as const);
    const curved = (side === 'arrive' ? other : h.key)?.then === 'curve';
    if (!other || !curved) return [];
    const own = h.key[side];
    const { row } = h.line;
    const at = h.key.frame - first;
    const slope = (row[at + sign] ?? 0) - (row[at] ?? 0);
    const frames = own?.frames ?? Math.abs(other.frame - h.key.frame) / 3;
    const value = own?.value ?? slope * frames;
    return [{ side, frames, value, own: Boolean(own), x: f.x(h.key.frame + sign * frames), y: h.y + f.y(h.line, value) - f.y(h.line, 0) }];
  });
}
