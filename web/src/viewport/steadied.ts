/** Places evened out in time, as the core does it where it finishes a cloth: by binomial weights of so many frames before and after. */
import type { Lane } from '../api/http';
import { chunkAtHand, fetchChunk, writeFrame } from '../stream/chunks';

/** The weights of 2m + 1 frames, which add up to 1. */
export function binomial(m: number): number[] {
  const out = [1];
  for (let k = 1; k <= 2 * m; k++) out.push((out[k - 1]! * (2 * m - k + 1)) / k);
  const all = out.reduce((a, b) => a + b, 0);
  return out.map((w) => w / all);
}

let spare = new Float32Array(0);

/**
 * A frame evened out over so many on each side, over fewer near the first and the last. The frame as it is where some are missing; `null` where some
 * are on their way, and `come` is called when they are here.
 */
export function steadied(
  over: number,
  frame: number,
  [first, last]: [number, number],
  stretches: Lane['stretches'],
  own: Float32Array,
  come: () => void,
): Float32Array | null {
  const m = Math.min(over, frame - first, last - frame);
  if (m <= 0) return own;
  const weights = binomial(m);
  const out = new Float32Array(own.length);
  if (spare.length !== own.length) spare = new Float32Array(own.length);
  for (let j = -m; j <= m; j++) {
    const s = stretches.find((x) => x.first <= frame + j && frame + j <= x.last);
    if (s?.chunk == null || s.slot == null) return own;
    const chunk = chunkAtHand(s.chunk);
    if (!chunk) {
      void fetchChunk(s.chunk).then((c) => c && come());
      return null;
    }
    if (!writeFrame(chunk, s.slot + frame + j - s.first, spare)) return own;
    const w = weights[m + j]!;
    for (let k = 0; k < out.length; k++) out[k]! += w * spare[k]!;
  }
  return out;
}
