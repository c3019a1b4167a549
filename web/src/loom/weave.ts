/** Draws the loom: ruler, and a lane a body whose weave says what its frames are. */
import type { Lane } from '../api/http';
import { snagRuns } from './snags';

export const RULER = 38;
export const LANE = 31;
export const PAD = 14;

export type Span = { first: number; last: number; rate: number };
/** Frames that repeat, the last `blend` of them blended. */
type Looped = { from: number; length: number; blend?: number } | null | undefined;

/** Where a frame stands across a strip of some width, and back. */
export const xOf = (f: number, s: Span, width: number) => PAD + ((f - s.first) / Math.max(1, s.last - s.first)) * (width - 2 * PAD);
export const frameAt = (x: number, s: Span, width: number) =>
  Math.min(s.last, Math.max(s.first, Math.round(s.first + ((x - PAD) / (width - 2 * PAD)) * (s.last - s.first))));

function tile(w: number, h: number, draw: (c: CanvasRenderingContext2D) => void, ratio: number): HTMLCanvasElement {
  const t = document.createElement('canvas');
  t.width = w * ratio;
  t.height = h * ratio;
  const c = t.getContext('2d')!;
  c.scale(ratio, ratio);
  draw(c);
  return t;
}

function patterns(c: CanvasRenderingContext2D, css: CSSStyleDeclaration, ratio: number) {
  const dye = (n: string) => css.getPropertyValue(n).trim();
  const stroke = (k: CanvasRenderingContext2D, colour: string, width: number, lines: number[][]) => {
    k.strokeStyle = colour;
    k.lineWidth = width;
    for (const [x, y, u, v] of lines as [number, number, number, number][]) {
      k.beginPath();
      k.moveTo(x, y);
      k.lineTo(u, v);
      k.stroke();
    }
  };
  const make = (w: number, h: number, draw: (k: CanvasRenderingContext2D) => void) => {
    const p = c.createPattern(tile(w, h, draw, ratio), 'repeat')!;
    p.setTransform(new DOMMatrix().scale(1 / ratio));
    return p;
  };
  return {
    // Woven solid: over and under.
    true: make(8, 8, (k) => {
      k.fillStyle = dye('--moss');
      k.fillRect(0, 0, 8, 8);
      k.globalAlpha = 0.5;
      stroke(k, '#dfe8c8', 2.4, [
        [0, 2, 4, 2],
        [4, 6, 8, 6],
      ]);
      k.globalAlpha = 0.28;
      stroke(k, '#dfe8c8', 2.4, [
        [6, 0, 6, 4],
        [2, 4, 2, 8],
      ]);
    }),
    // Loose diagonal stitches.
    stale: make(10, 10, (k) => {
      k.lineCap = 'round';
      stroke(k, dye('--weld'), 2, [[2, 8.5, 7, 2]]);
    }),
    // Bare warp lines.
    missing: make(6, 6, (k) => stroke(k, dye('--line-strong'), 1, [[3, 0, 3, 6]])),
    ink: dye('--ink'),
    faded: dye('--faded'),
    line: dye('--line-strong'),
    weld: dye('--weld'),
    madder: dye('--madder'),
    moss: dye('--moss'),
    woad: dye('--woad'),
    raised: dye('--raised'),
  };
}

/** Fits a canvas to where it stands; its context in the page's own pixels, with the weaves. */
function fit(canvas: HTMLCanvasElement) {
  const ratio = devicePixelRatio;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const c = canvas.getContext('2d')!;
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.clearRect(0, 0, width, height);
  return { c, width, p: patterns(c, getComputedStyle(canvas), ratio) };
}

export function drawRuler(canvas: HTMLCanvasElement, span: Span, looped: Looped) {
  const { c, width, p } = fit(canvas);
  ruler(c, p, span, width);
  if (looped) cord(c, p, span, width, looped);
}

/** A loop is a cord along the ruler, knotted at both ends, loose where it is blended. */
function cord(c: CanvasRenderingContext2D, p: Patterns, span: Span, width: number, l: NonNullable<Looped>) {
  const x = (f: number) => xOf(f, span, width);
  const y = RULER - 4;
  const [from, soft, to] = [x(l.from), x(l.from + l.length - 1 - (l.blend ?? 0)), x(l.from + l.length - 1)];
  c.strokeStyle = c.fillStyle = p.woad;
  c.lineWidth = 2.5;
  for (const [a, b, dash] of [
    [from, soft, []],
    [soft, to, [2.5, 3]],
  ] as const) {
    c.setLineDash([...dash]);
    c.beginPath();
    c.moveTo(a, y);
    c.lineTo(b, y);
    c.stroke();
  }
  c.setLineDash([]);
  for (const at of [from, to]) {
    c.beginPath();
    c.arc(at, y, 4, 0, 7);
    c.fill();
  }
}

/** How many pieces come with each frame, by body, where any do. */
export type Comings = Record<string, { frame: number; count: number }[]>;

export function drawLanes(canvas: HTMLCanvasElement, lanes: Lane[], span: Span, comings: Comings) {
  const { c, width, p } = fit(canvas);
  const x = (f: number) => xOf(f, span, width);
  // A frame is a column as wide as the way to the next; half of it hangs over either side.
  const half = (x(span.first + 1) - x(span.first)) / 2;
  lanes.forEach((lane, k) => {
    const y = 6 + k * LANE;
    for (const s of lane.stretches) {
      // On whole pixels: stretches of one state must not show where one chunk ends.
      const from = Math.round(Math.max(PAD - 3, x(s.first) - half));
      const to = Math.round(Math.min(width - PAD + 3, x(s.last) + half));
      c.fillStyle = p[s.state];
      c.fillRect(from, y, to - from, LANE - 10);
    }
    outline(c, p, lane, x, half, y, width);
    // What comes with a frame hangs from the weave as a fringe, the longer the more.
    const fringe = comings[lane.body] ?? [];
    const most = Math.max(1, ...fringe.map((f) => f.count));
    c.fillStyle = p.ink;
    for (const f of fringe) {
      const long = 1.5 + 7 * Math.sqrt(f.count / most);
      c.fillRect(x(f.frame) - Math.min(1.2, 0.7 * half), y + LANE - 9, Math.min(2.4, 1.4 * half), long);
    }
    // Where a frame took more sub-steps, a cord lies along the weave, the thicker the more.
    c.fillStyle = p.faded;
    for (const t of lane.took) {
      const high = Math.min(4, Math.max(1, Math.log2(t.substeps / 10)));
      const from = Math.max(PAD - 3, x(t.first) - half);
      c.fillRect(from, y - 1 - high, Math.min(width - PAD + 3, x(t.last) + half) - from, high);
    }
    // A snag is a thread pulled out of the weave: a loop over the worst frame of its run where it is large, a stitch where it is small.
    c.fillStyle = p.raised;
    for (const r of snagRuns(lane).toReversed()) {
      const at = x(r.at);
      c.strokeStyle = r.large ? p.madder : p.weld;
      c.lineWidth = 1.6;
      c.beginPath();
      if (r.last > r.first) {
        c.moveTo(x(r.first), y + LANE - 8.5);
        c.lineTo(x(r.last), y + LANE - 8.5);
      }
      if (r.large) {
        c.moveTo(at - 3, y + LANE - 10);
        c.bezierCurveTo(at - 7, y + LANE - 20, at + 7, y + LANE - 20, at + 3, y + LANE - 10);
        c.fill();
      } else {
        c.moveTo(at, y + LANE - 12);
        c.lineTo(at, y + LANE - 6);
      }
      c.stroke();
    }
  });
}

type Patterns = ReturnType<typeof patterns>;

/** A border around each run of one state, whatever chunks it lies in. */
function outline(c: CanvasRenderingContext2D, p: Patterns, lane: Lane, x: (f: number) => number, half: number, y: number, width: number) {
  let k = 0;
  c.lineWidth = 1;
  while (k < lane.stretches.length) {
    const from = lane.stretches[k]!;
    let to = from;
    while (lane.stretches[k + 1]?.state === from.state) to = lane.stretches[++k]!;
    k += 1;
    c.strokeStyle = from.state === 'true' ? p.moss : from.state === 'stale' ? p.weld : p.line;
    const left = Math.max(PAD - 3, x(from.first) - half);
    c.strokeRect(left + 0.5, y + 0.5, Math.min(width - PAD + 3, x(to.last) + half) - left - 1, LANE - 11);
  }
}

function ruler(c: CanvasRenderingContext2D, p: Patterns, span: Span, width: number) {
  const perFrame = (width - 2 * PAD) / Math.max(1, span.last - span.first);
  const rate = Math.round(span.rate);
  const steps = [1, 2, 4, 6, 12, rate, 2 * rate, 5 * rate, 10 * rate, 30 * rate, 60 * rate, 240 * rate];
  const small = steps.find((s) => s * perFrame >= 7) ?? steps.at(-1)!;
  const large = steps.find((s) => s % small === 0 && s * perFrame >= 52) ?? steps.at(-1)!;
  c.strokeStyle = p.faded;
  c.fillStyle = p.faded;
  c.lineWidth = 1;
  c.font = '11px "Atkinson Hyperlegible Mono"';
  c.globalAlpha = 0.8;
  const from = Math.ceil(span.first / small) * small;
  for (let f = from; f <= span.last; f += small) {
    const at = Math.round(xOf(f, span, width)) + 0.5;
    c.beginPath();
    c.moveTo(at, f % large === 0 ? 22 : 31);
    c.lineTo(at, RULER);
    c.stroke();
  }
  c.globalAlpha = 1;
  for (let f = Math.ceil(span.first / large) * large; f <= span.last; f += large) {
    // Over its tick, and whole at either end.
    const text = String(f);
    const wide = c.measureText(text).width;
    c.fillText(text, Math.min(width - wide - 3, Math.max(3, xOf(f, span, width) - wide / 2)), 17);
  }
}
