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

export type Chunk = {
  frames: number;
  bytes: number;
  position: Channel;
  /** The number of each point of `position`, where points come and go. */
  id: Channel | null;
  /** How each point of `position` is turned, where they have a turn. */
  turn: Channel | null;
};

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
  const position = channels.find((c) => c.name === 'position') ?? {
    name: 'position',
    origin: [0, 0, 0],
    step: 1,
    points: [0],
    grid: new Uint16Array(),
  };
  const named = (name: string) => channels.find((c) => c.name === name) ?? null;
  return { frames: head.frames, bytes: bytes.byteLength, position, id: named('id'), turn: named('turn') };
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

/** Where the numbers of a frame begin, counted in points. */
function firstOf(c: Channel, slot: number): number {
  if (c.points.length === 1) return slot * c.points[0]!;
  let from = 0;
  for (let f = 0; f < slot; f += 1) from += countAt(c, f);
  return from;
}

/** Writes a frame's places into an array of three numbers a point; a point that is not there is no number. */
export function writeFrame(chunk: Chunk, slot: number, out: Float32Array): boolean {
  const { grid, origin, step } = chunk.position;
  const count = countAt(chunk.position, slot);
  const ids = chunk.id;
  if (slot >= chunk.frames || (!ids && out.length !== 3 * count)) return false;
  const from = 3 * firstOf(chunk.position, slot);
  const first = ids ? firstOf(ids, slot) : 0;
  const number = (k: number) => (ids ? Math.round(ids.origin[0]! + ids.grid[first + k]! * ids.step) : k);
  if (ids) {
    for (let k = 0; k < count; k += 1) if (3 * number(k) + 3 > out.length) return false;
    out.fill(NaN);
  }
  const [x, y, z] = origin as [number, number, number];
  for (let k = 0; k < count; k += 1) {
    const to = 3 * number(k);
    const at = from + 3 * k;
    out[to] = x + grid[at]! * step;
    out[to + 1] = y + grid[at + 1]! * step;
    out[to + 2] = z + grid[at + 2]! * step;
  }
  return true;
}

/** Which points are there in a frame, where they come and go. */
export function namesIn(chunk: Chunk, slot: number): number[] {
  const { id } = chunk;
  if (!id || slot >= chunk.frames) return [];
  const first = firstOf(id, slot);
  return Array.from({ length: countAt(id, slot) }, (_, k) => Math.round(id.origin[0]! + id.grid[first + k]! * id.step));
}

/** Writes how a frame's points are turned into an array of four numbers a point; a point that is not there keeps what it had. */
export function writeTurns(chunk: Chunk, slot: number, out: Float32Array) {
  const { turn, id } = chunk;
  if (!turn || slot >= chunk.frames) return;
  const count = countAt(turn, slot);
  const from = 4 * firstOf(turn, slot);
  const first = id ? firstOf(id, slot) : 0;
  for (let k = 0; k < count; k += 1) {
    const to = 4 * (id ? Math.round(id.origin[0]! + id.grid[first + k]! * id.step) : k);
    if (to + 4 > out.length) return;
    for (let c = 0; c < 4; c += 1) out[to + c] = turn.origin[c]! + turn.grid[from + 4 * k + c]! * turn.step;
  }
}
