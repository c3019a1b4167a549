/** A take beside what is on screen: a second set of bodies, on one clock and one camera. */
import * as T from 'three';
import type { Lane } from '../api/http';
import type { Shape } from '../api/shape';
import type { How } from '../state/takes';
import { chunkAtHand, fetchChunk, writeFrame, writeTurns } from '../stream/chunks';
import { layerOf, type BodyLayer } from './body-layer';

/** What was compared at a frame: how far apart what is in both is at most, metres; bodies that can't be told apart point by point; those without a frame. */
export type Compared = { farthest: number; full: number; unlike: string[]; lacking: string[] };

/** The dye of what is compared. */
const DYE = '#4f6f8f';
/** The way between what is on screen and what stands at its side, as a share of how wide that is. */
const ASIDE = 1.12;
/** How long each is seen where they take turns, ms. */
const TURN = 700;
/** Frames that are fetched before they are asked for. */
const AHEAD = 48;

/** A round number that is not below another: what the deepest dye stands for. */
export function roundUp(x: number): number {
  if (!(x > 0)) return 1e-3;
  const ten = 10 ** Math.floor(Math.log10(x));
  return [1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10].map((k) => k * ten).find((k) => k >= x * (1 - 1e-9)) ?? 10 * ten;
}

/** How far points are from where they are in another take, and the farthest; none where there are others. */
export function apart(a: Float32Array, b: Float32Array): { each: Float32Array; farthest: number } | null {
  if (a.length !== b.length) return null;
  const each = new Float32Array(a.length / 3);
  let farthest = 0;
  for (let k = 0; k < each.length; k += 1) {
    const d = Math.hypot(a[3 * k]! - b[3 * k]!, a[3 * k + 1]! - b[3 * k + 1]!, a[3 * k + 2]! - b[3 * k + 2]!);
    each[k] = Number.isNaN(d) ? 0 : d;
    farthest = Math.max(farthest, each[k]!);
  }
  return { each, farthest };
}

export class Beside {
  readonly group = new T.Group();
  private layers = new Map<string, { drawn: BodyLayer; shape: Shape; shown: string }>();
  private lanes: Lane[] = [];
  how: How | null = null;
  /** Chunks that will be asked for soon. */
  ahead: { first: number; chunk: number }[] = [];

  constructor(
    private plain: () => boolean,
    private redraw: () => void,
    /** Shows what is here, or hides it while the take has its turn. */
    private show: (here: boolean) => void,
  ) {}

  private turns: ReturnType<typeof setInterval> | undefined;

  /** In turn with what is here. */
  private blink(on: boolean) {
    clearInterval(this.turns);
    this.turns = undefined;
    this.show(true);
    if (!on) return;
    this.group.visible = false;
    this.turns = setInterval(() => {
      this.group.visible = !this.group.visible;
      this.show(!this.group.visible);
      this.redraw();
    }, TURN);
  }

  set(taken: { lanes: Lane[]; shapes: Record<string, Shape> } | null, how: How | null) {
    this.lanes = taken?.lanes ?? [];
    this.how = taken ? how : null;
    const shapes = taken?.shapes ?? {};
    for (const [id, l] of this.layers) {
      if (shapes[id] === l.shape) continue;
      this.group.remove(l.drawn.group);
      l.drawn.dispose();
      this.layers.delete(id);
    }
    for (const [id, shape] of Object.entries(shapes)) {
      if (this.layers.has(id)) continue;
      const drawn = layerOf(shape, this.plain(), DYE, this.redraw);
      this.group.add(drawn.group);
      this.layers.set(id, { drawn, shape, shown: '' });
    }
    this.group.visible = how === 'over' || how === 'side';
    this.blink(this.how === 'blink');
    this.redraw();
  }

  /** Puts a frame of it on screen beside what is there, and tells what they are to each other. */
  go(frame: number, there: ReadonlyMap<string, { drawn: BodyLayer }>, again: () => void): Compared | null {
    if (!this.how) return null;
    this.ahead = [];
    const out: Compared = { farthest: 0, full: 0, unlike: [], lacking: [] };
    const each = new Map<string, Float32Array>();
    for (const [id, layer] of this.layers) {
      const { drawn } = layer;
      const lane = this.lanes.find((l) => l.body === id);
      const s = lane?.stretches.find((x) => x.first <= frame && frame <= x.last);
      const chunk = s?.chunk != null ? chunkAtHand(s.chunk) : undefined;
      drawn.group.visible = true;
      if (!s || s.chunk == null || s.slot == null) {
        drawn.group.visible = false;
        out.lacking.push(lane?.name ?? id);
        continue;
      }
      if (!chunk) {
        void fetchChunk(s.chunk).then((c) => c && again());
        continue;
      }
      const slot = s.slot + frame - s.first;
      const key = `${s.chunk}/${slot}`;
      if (key !== layer.shown && writeFrame(chunk, slot, drawn.positions)) {
        if (drawn.turns) writeTurns(chunk, slot, drawn.turns);
        drawn.changed('stale');
        layer.shown = key;
      }
      for (const x of lane?.stretches ?? [])
        if (x.chunk != null && x.last >= frame && x.first <= frame + AHEAD) this.ahead.push({ first: x.first, chunk: x.chunk });
      const other = there.get(id)?.drawn;
      const found = other && apart(other.positions, drawn.positions);
      if (!found) {
        if (other) out.unlike.push(lane?.name ?? id);
        continue;
      }
      out.farthest = Math.max(out.farthest, found.farthest);
      each.set(id, found.each);
    }
    out.full = roundUp(out.farthest);
    if (this.how === 'apart') {
      for (const [id, of] of each) {
        const weights = of.map((d) => d / out.full);
        there.get(id)?.drawn.setMaps?.({ weights, colour: DEEP }, null);
      }
    }
    this.group.position.x = this.how === 'side' ? this.aside(there) : 0;
    return out;
  }

  private aside(there: ReadonlyMap<string, { drawn: BodyLayer }>): number {
    const all = new T.Box3();
    for (const l of there.values()) all.union(l.drawn.bounds());
    return all.isEmpty() ? 1 : ASIDE * (all.max.x - all.min.x) + 0.1;
  }

  bounds(): T.Box3 {
    const all = new T.Box3();
    if (this.how !== 'side') return all;
    for (const l of this.layers.values()) if (l.drawn.group.visible) all.union(l.drawn.bounds().translate(this.group.position));
    return all;
  }
}

/** The dye that is deepest where they are farthest apart. */
export const DEEP = '#7a1f12';
