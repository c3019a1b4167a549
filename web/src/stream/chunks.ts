/** Frames at hand: chunks fetched once, the least used let go when they take too much room. */
import { http, told } from '../api/http';

export type Chunk = {
  points: number;
  frames: number;
  origin: [number, number, number];
  step: number;
  /** Frame by frame, x y z a point, in steps from the origin. */
  grid: Uint16Array;
};

const MOST_BYTES = 512 << 20;
const atHand = new Map<number, Chunk>();
const onTheWay = new Map<number, Promise<Chunk | null>>();
let bytesAtHand = 0;

function decode(bytes: ArrayBuffer): Chunk {
  const view = new DataView(bytes);
  const [points, frames] = [view.getUint32(4, true), view.getUint32(8, true)];
  const f = (at: number) => view.getFloat32(at, true);
  return { points, frames, origin: [f(12), f(16), f(20)], step: f(24), grid: new Uint16Array(bytes, 28) };
}

/** A chunk that is here already. */
export function chunkAtHand(id: number): Chunk | undefined {
  const chunk = atHand.get(id);
  if (chunk) {
    // The most lately used stands last.
    atHand.delete(id);
    atHand.set(id, chunk);
  }
  return chunk;
}

/** Fetches a chunk; `null` when it can't be had now. */
export function fetchChunk(id: number): Promise<Chunk | null> {
  const here = chunkAtHand(id);
  if (here) return Promise.resolve(here);
  const coming = onTheWay.get(id);
  if (coming) return coming;
  const fetched = told(http.GET('/api/chunks/{chunk}', { params: { path: { chunk: id } }, parseAs: 'arrayBuffer' }))
    .then((bytes) => {
      const chunk = decode(bytes);
      atHand.set(id, chunk);
      bytesAtHand += bytes.byteLength;
      for (const [old, c] of atHand) {
        if (bytesAtHand <= MOST_BYTES || old === id) break;
        atHand.delete(old);
        bytesAtHand -= c.grid.byteLength + 28;
      }
      return chunk;
    })
    .catch(() => null)
    .finally(() => onTheWay.delete(id));
  onTheWay.set(id, fetched);
  return fetched;
}

let ahead: number[] = [];
let fetching = 0;

/** Chunks that will most likely be wanted, the next first: two at a time, so that one that is wanted now need not wait. */
export function fetchAhead(ids: number[]) {
  ahead = ids.filter((id) => !atHand.has(id));
  while (fetching < 2 && ahead.length > 0) {
    fetching += 1;
    void fetchChunk(ahead.shift()!).finally(() => {
      fetching -= 1;
      fetchAhead(ahead);
    });
  }
}

/** Writes a frame's places into an array of three numbers a point. */
export function writeFrame(chunk: Chunk, slot: number, out: Float32Array): boolean {
  const n = 3 * chunk.points;
  if (slot >= chunk.frames || out.length !== n) return false;
  const { grid, origin, step } = chunk;
  const from = slot * n;
  for (let k = 0; k < n; k += 3) {
    out[k] = origin[0] + grid[from + k]! * step;
    out[k + 1] = origin[1] + grid[from + k + 1]! * step;
    out[k + 2] = origin[2] + grid[from + k + 2]! * step;
  }
  return true;
}
