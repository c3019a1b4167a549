/** A loop as it plays: its last frames turn into those before its first, as the core blends them. */
import type { Lane } from '../api/http';
import { chunkAtHand, fetchChunk, writeFrame } from '../stream/chunks';
import type { Looped } from '../stream/clock';

/** How much the `k`-th frame of a loop has of the frame a length before it. */
export function blendOf(l: Looped, k: number): number {
  const into = k - (l.length - l.blend) + 1;
  if (into <= 0) return 0;
  const t = into / (l.blend + 1);
  return t * t * (3 - 2 * t);
}

let spare = new Float32Array(0);

/** Turns the places of a frame into the loop's; false where the other frame is not at hand yet. */
export function blendIn(l: Looped, frame: number, stretches: Lane['stretches'], places: Float32Array): boolean {
  const much = blendOf(l, frame - l.from);
  if (much === 0) return true;
  const other = frame - l.length;
  const s = stretches.find((x) => x.first <= other && other <= x.last);
  if (s?.chunk == null || s.slot == null) return true;
  const chunk = chunkAtHand(s.chunk);
  if (!chunk) {
    void fetchChunk(s.chunk);
    return false;
  }
  if (spare.length !== places.length) spare = new Float32Array(places.length);
  if (!writeFrame(chunk, s.slot + other - s.first, spare)) return true;
  // What is not there in one of them stays as it is.
  for (let k = 0; k < places.length; k += 1) {
    const q = spare[k]!;
    if (!Number.isNaN(q)) places[k]! += much * (q - places[k]!);
  }
  return true;
}
