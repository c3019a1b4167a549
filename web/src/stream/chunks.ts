/** Frames at hand: chunks fetched once, the least used let go when they take too much room. */
import { http, told } from '../api/http';
import { readHead } from '../api/shape';

/** Numbers of a frame's points, on a grid. */
export type Channel = {
  name: string;
  /** Where the grid begins, for each number of a point. */
  origin: number[];
  step: number;
  /** Points of each frame; one number where all have as many. */
  points: number[];
  /** Frame by frame, point by point, in steps from the origin. */
  grid: Uint16Array | Uint32Array;
};

export type Chunk = { frames: number; bytes: number; position: Channel };

type Head = { frames: number; channels: { name: string; origin: number[]; step: number; bits: number; points: number[] }[] };

const MOST_BYTES = 512 << 20;
const atHand = new Map<number, Chunk>();
const onTheWay = new Map<number, Promise<Chunk | null>>();
let bytesAtHand = 0;

const countAt = (c: { points: number[] }, frame: number) => c.points[c.points.length === 1 ? 0 : frame] ?? 0;

/** See `nematon_frames::Chunk`. */
export function decode(bytes: ArrayBuffer): Chunk {
  const [head, from] = readHead<Head>(bytes);
  let at = from;
  const channels = head.channels.map(({ bits, ...c }): Channel => {
    let n = 0;
    for (let f = 0; f < head.frames; f += 1) n += countAt(c, f) * c.origin.length;
    const grid = bits === 16 ? new Uint16Array(bytes, at, n) : new Uint32Array(bytes, at, n);
    at += Math.ceil(grid.byteLength / 4) * 4;
    return { ...c, grid };
  });
  const position = channels.find((c) => c.name === 'position') ?? { name: 'position', origin: [0, 0, 0], step: 1, points: [0], grid: new Uint16Array() };
  return { frames: head.frames, bytes: bytes.byteLength, position };
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
  const fetched = told(http.GET('/api/chunks/{chunk}/wire', { params: { path: { chunk: id } }, parseAs: 'arrayBuffer' }))
    .then((bytes) => {
      const chunk = decode(bytes);
      atHand.set(id, chunk);
      bytesAtHand += bytes.byteLength;
      for (const [old, c] of atHand) {
        if (bytesAtHand <= MOST_BYTES || old === id) break;
        atHand.delete(old);
        bytesAtHand -= c.bytes;
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
  const { grid, origin, step, points } = chunk.position;
  const n = 3 * countAt(chunk.position, slot);
  if (slot >= chunk.frames || out.length !== n) return false;
  let from = 0;
  if (points.length === 1) from = slot * n;
  else for (let f = 0; f < slot; f += 1) from += 3 * countAt(chunk.position, f);
  const [x, y, z] = origin as [number, number, number];
  for (let k = 0; k < n; k += 3) {
    out[k] = x + grid[from + k]! * step;
    out[k + 1] = y + grid[from + k + 1]! * step;
    out[k + 2] = z + grid[from + k + 2]! * step;
  }
  return true;
}
