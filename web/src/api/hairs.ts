/** The hairs between a body's strands. Arrays as the server tells them; see `HairsHead`. */
import { http, told, type HairsHead } from './http';
import { readHead } from './shape';

export type Hairs = {
  head: HairsHead;
  /** Three to each, the nearest first. */
  strands: Uint32Array;
  shares: Float32Array;
  /** Where its root is beside theirs, metres. */
  off: Float32Array;
  /** Four to each. */
  dice: Float32Array;
};

export async function readHairs(id: number, body: string, signal?: AbortSignal): Promise<Hairs> {
  const path = { id, body };
  const bytes: ArrayBuffer = await told(
    http.GET('/api/projects/{id}/bodies/{body}/hairs', { params: { path }, parseAs: 'arrayBuffer', signal: signal ?? null }),
  );
  const [head, from] = readHead<HairsHead>(bytes);
  let at = from;
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  const n = head.hairs;
  const strands = new Uint32Array(bytes, (at += 12 * n) - 12 * n, 3 * n);
  return { head, strands, shares: floats(3 * n), off: floats(3 * n), dice: floats(4 * n) };
}
