import { getBytes, type ShapeHead } from './http';

/** The rest shape of a body. Arrays as the server tells them; see `ShapeHead`. */
export type Shape = {
  head: ShapeHead;
  /** Where the points start in the world, metres. */
  placed: Float32Array;
  /** The same before the body was placed. */
  rest: Float32Array;
  uvs: Float32Array;
  triangles: Uint32Array;
  uvTriangles: Uint32Array;
};

export async function readShape(project: number, body: string): Promise<Shape> {
  const bytes = await getBytes(`/projects/${project}/bodies/${body}/shape`);
  const length = new DataView(bytes).getUint32(0, true);
  const head: ShapeHead = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, length)));
  let at = 4 + length;
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  const words = (n: number) => new Uint32Array(bytes, (at += 4 * n) - 4 * n, n);
  const placed = floats(3 * head.points);
  const rest = floats(3 * head.points);
  const uvs = floats(2 * head.uvs);
  const triangles = words(3 * head.triangles);
  const uvTriangles = head.uvs > 0 ? words(3 * head.triangles) : new Uint32Array();
  return { head, placed, rest, uvs, triangles, uvTriangles };
}
