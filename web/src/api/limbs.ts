/** Plants as a mesh, and what was found in it. Arrays as the server tells them; see `LimbsHead`. */
import { http, told, type LimbsHead } from './http';
import { readHead } from './shape';

export type Limbs = {
  head: LimbsHead;
  /** About the root, metres. */
  positions: Float32Array;
  uvs: Float32Array;
  /** The four segments that carry each point, by the point that each leads to, and how much each does. */
  joints: Uint32Array;
  shares: Float32Array;
  triangles: Uint32Array;
  uvTriangles: Uint32Array;
  /** Of each plant where it stands, how it is turned (x, y, z, w), and how large it is. */
  plants: Float32Array;
};

/** Numbers that say how a plant stands. */
export const STANDS = 8;

export async function readLimbs(id: number, body: string, signal?: AbortSignal): Promise<Limbs> {
  const path = { id, body };
  const bytes: ArrayBuffer = await told(
    http.GET('/api/projects/{id}/bodies/{body}/limbs', { params: { path }, parseAs: 'arrayBuffer', signal: signal ?? null }),
  );
  const [head, from] = readHead<LimbsHead>(bytes);
  let at = from;
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  const words = (n: number) => new Uint32Array(bytes, (at += 4 * n) - 4 * n, n);
  return {
    head,
    positions: floats(3 * head.points),
    uvs: floats(2 * head.uvs),
    joints: words(4 * head.points),
    shares: floats(4 * head.points),
    triangles: words(3 * head.triangles),
    uvTriangles: words(head.textured ? 3 * head.triangles : 0),
    plants: floats(STANDS * head.plants),
  };
}
