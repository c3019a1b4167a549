/** What a map comes to on the points of a body. */
import { http, told, type MapHead } from './http';
import { readHead } from './shape';

export type MapNow = { head: MapHead; weights: Float32Array };

export async function readMap(id: number, body: string, map: string, frame: number): Promise<MapNow> {
  const path = { id, body, map };
  const bytes: ArrayBuffer = await told(
    http.GET('/api/projects/{id}/bodies/{body}/maps/{map}', { params: { path, query: { frame } }, parseAs: 'arrayBuffer' }),
  );
  const [head, from] = readHead<MapHead>(bytes);
  return { head, weights: new Float32Array(bytes.slice(from, from + 4 * head.points)) };
}
