/** Swatches: one body as it would move with other values, side by side. Drafts, computed one after the other and never kept. */
import { create } from 'zustand';
import { attempt } from '../api/attempt';
import type { Op } from '../api/http';
import { say } from '../state/here';
import { leaving } from '../state/leaving';
import { edit } from '../state/project';
import { now, openId } from '../state/queries';
import { clock } from './clock';

/** Frames of a swatch at most, and swatches. */
export const MOST_FRAMES = 120;
export const MOST_SWATCHES = 30;

export type Swatch = {
  /** What it is called: its values, or a material. */
  name: string;
  /** What makes its values the scene's. */
  patch: Op[];
  /** Places of the body's points, from the first frame on. */
  frames: Float32Array[];
  state: 'waits' | 'comes' | 'done' | 'failed';
};

/** `across` so many stand beside each other; 0, as many as there is room for. */
type Wall = { body: string; of: string; swatches: Swatch[]; across: number };
export const useSwatches = create<{ wall: Wall | null }>(() => ({ wall: null }));

let ending: AbortController | null = null;
/** Told when frames have come; who draws them looks. */
export const swatchNews = new Set<() => void>();
const tell = () => swatchNews.forEach((l) => l());

/** Values from one to another: evenly, or by equal factors where one is ten times the other. */
export function steps(from: number, to: number, count: number): number[] {
  const factors = from > 0 && to > 0 && Math.max(from, to) / Math.min(from, to) >= 10;
  return Array.from({ length: count }, (_, k) => {
    const t = count > 1 ? k / (count - 1) : 0;
    const v = factors ? from * (to / from) ** t : from + (to - from) * t;
    return Number(v.toPrecision(3));
  });
}

/** Each of one number with each of another: a row for each of the other. */
export const crossed = (one: Pick<Swatch, 'name' | 'patch'>[], other: Pick<Swatch, 'name' | 'patch'>[]) =>
  other.flatMap((b) => one.map((a) => ({ name: `${a.name} · ${b.name}`, patch: [...a.patch, ...b.patch] })));

/** Seconds that a draft of a point takes a frame, about: two million of them a minute. */
const A_POINT = 28e-6;
/** What drafts cost, seconds. */
export const cost = (points: number, count: number) => points * count * Math.min(MOST_FRAMES, clock.last - clock.first + 1) * A_POINT;

/** Shows a wall of them and computes each; what was shown before goes. */
export async function compute(body: string, of: string, swatches: Pick<Swatch, 'name' | 'patch'>[], across = 0) {
  close();
  const own: Wall = { body, of, across, swatches: swatches.map((s) => ({ ...s, frames: [], state: 'waits' })) };
  useSwatches.setState({ wall: own });
  const abort = new AbortController();
  ending = abort;
  const frames = now.scene()?.frames;
  const count = Math.min(MOST_FRAMES, clock.last - clock.first + 1);
  // A look at what would come: as a draft, whatever the scene says.
  const draft: Op[] = [
    ...(frames?.substeps != null ? [{ op: 'remove' as const, path: '/frames/substeps' }] : []),
    { op: 'add', path: '/frames/quality', value: 'draft' },
  ];
  for (const swatch of own.swatches) {
    if (abort.signal.aborted) return;
    swatch.state = 'comes';
    tell();
    try {
      await attempt(openId(), [...draft, ...swatch.patch], body, count, abort.signal, (f) => {
        const places = f.places.get(body);
        if (places) swatch.frames.push(places);
        tell();
      });
      swatch.state = swatch.frames.length > 0 ? 'done' : 'failed';
    } catch {
      if (!abort.signal.aborted) swatch.state = 'failed';
    }
    tell();
  }
}

/** Makes the values of one the scene's, by one edit. */
export async function choose(k: number) {
  const { wall } = useSwatches.getState();
  const swatch = wall?.swatches[k];
  if (!wall || !swatch) return;
  close();
  if (await edit(`${wall.of}: ${swatch.name}`, swatch.patch))
    say({
      title: `${wall.of} is ${swatch.name}`,
      detail: 'Undo brings the value before back. Run computes it as finely as the scene asks.',
      tone: 'note',
    });
}

leaving.add(() => close());

export function close() {
  ending?.abort();
  ending = null;
  if (useSwatches.getState().wall) useSwatches.setState({ wall: null });
}
