/** How a cloth is finished. Arrays as the server tells them; see `FinishHead`. */
import { http, told, type FinishHead } from './http';
import { readHead } from './shape';

export type Finished = {
  head: FinishHead;
  /** Where the parts of each point begin; of which computed point each is, and how much. */
  from: Uint32Array;
  points: Uint32Array;
  parts: Float32Array;
  /** Triangles of the surface, and of all. */
  surface: Uint32Array;
  triangles: Uint32Array;
};

export async function readFinish(id: number, body: string, signal?: AbortSignal): Promise<Finished> {
  const path = { id, body };
  const bytes: ArrayBuffer = await told(
    http.GET('/api/projects/{id}/bodies/{body}/finish', { params: { path }, parseAs: 'arrayBuffer', signal: signal ?? null }),
  );
  const [head, start] = readHead<FinishHead>(bytes);
  let at = start;
  const words = (n: number) => new Uint32Array(bytes, (at += 4 * n) - 4 * n, n);
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  return {
    head,
    from: words(head.points + 1),
    points: words(head.parts),
    parts: floats(head.parts),
    surface: words(3 * head.surface),
    triangles: words(3 * head.triangles),
  };
}

/** Numbers of the computed points as those of the finished surface, so many a point. */
export function spread(f: Finished, of: ArrayLike<number>, size: number, out: Float32Array) {
  const { from, points, parts } = f;
  for (let k = 0; k < f.head.points; k++) {
    for (let c = 0; c < size; c++) {
      let sum = 0;
      for (let j = from[k]!; j < from[k + 1]!; j++) sum += parts[j]! * of[size * points[j]! + c]!;
      out[size * k + c] = sum;
    }
  }
}

/** The normal of each point of a surface, by the areas about it. */
export function faced(positions: Float32Array, triangles: Uint32Array, out: Float32Array) {
  out.fill(0);
  const p = positions;
  for (let k = 0; k < triangles.length; k += 3) {
    const [a, b, c] = [3 * triangles[k]!, 3 * triangles[k + 1]!, 3 * triangles[k + 2]!];
    const [ux, uy, uz] = [p[b]! - p[a]!, p[b + 1]! - p[a + 1]!, p[b + 2]! - p[a + 2]!];
    const [vx, vy, vz] = [p[c]! - p[a]!, p[c + 1]! - p[a + 1]!, p[c + 2]! - p[a + 2]!];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    for (const at of [a, b, c]) {
      out[at]! += nx;
      out[at + 1]! += ny;
      out[at + 2]! += nz;
    }
  }
  for (let k = 0; k < out.length; k += 3) {
    const l = 1 / (Math.hypot(out[k]!, out[k + 1]!, out[k + 2]!) || 1);
    for (const c of [0, 1, 2]) out[k + c]! *= l;
  }
}
