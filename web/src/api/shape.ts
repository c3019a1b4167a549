import { http, told, type ShapeHead } from './http';

/** The rest shape of a body. Arrays as the server tells them; see `ShapeHead`. */
export type Shape = {
  head: ShapeHead;
  /** Where the points start in the world, metres. */
  placed: Float32Array;
  uvs: Float32Array;
  /** Of loose points and those of strands, metres; empty where points belong to triangles. */
  radii: Float32Array;
  /** How many points each strand has, one after the other. */
  strands: Uint32Array;
  /** Where they branch, the point before each, by its number in its own plant. */
  up: Uint32Array;
  /** What stands at each, metres: a leaf's length and width, a ball's diameter and 0, or twice 0. */
  ends: Float32Array;
  triangles: Uint32Array;
  uvTriangles: Uint32Array;
  /** What loose pieces are seen as, as long as 1; nothing where that is a ball or a leaf. */
  piece: { points: Float32Array; triangles: Uint32Array } | null;
};

/** What stands before arrays: a length and JSON. Then where they begin. */
export function readHead<T>(bytes: ArrayBuffer): [T, number] {
  const length = new DataView(bytes).getUint32(0, true);
  return [JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length))), 4 + length];
}

export async function readShape(id: number, body: string, signal?: AbortSignal): Promise<Shape> {
  const path = { id, body };
  return shapeOf(
    await told(http.GET('/api/projects/{id}/bodies/{body}/shape', { params: { path }, parseAs: 'arrayBuffer', signal: signal ?? null })),
  );
}

/** The rest shape of a body of a take. */
export const readTakenShape = async (id: number, take: number, body: string): Promise<Shape> =>
  shapeOf(
    await told(
      http.GET('/api/projects/{id}/takes/{take}/bodies/{body}/shape', { params: { path: { id, take, body } }, parseAs: 'arrayBuffer' }),
    ),
  );

function shapeOf(bytes: ArrayBuffer): Shape {
  const [head, from] = readHead<ShapeHead>(bytes);
  let at = from;
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  const words = (n: number) => new Uint32Array(bytes, (at += 4 * n) - 4 * n, n);
  const placed = floats(3 * head.points);
  // The unplaced shape stands between.
  floats(3 * head.points);
  const uvs = floats(2 * head.uvs);
  const radii = floats(head.radii);
  const strands = words(head.strands);
  const up = words(head.up);
  const ends = floats(2 * head.ends);
  const triangles = words(3 * head.triangles);
  const uvTriangles = head.uvs > 0 ? words(3 * head.triangles) : new Uint32Array();
  const piece = head.piece_points > 0 ? { points: floats(3 * head.piece_points), triangles: words(3 * head.piece_triangles) } : null;
  return { head, placed, uvs, radii, strands, up, ends, triangles, uvTriangles, piece };
}
