/** Where things are, frame by frame: see `TracksHead`. */
import { http, told, type TracksHead } from './http';
import { readHead } from './shape';

/** Seven numbers a frame: position, then turn as a quaternion x, y, z, w. */
export type Tracks = { first: number; of: Map<string, Float32Array> };

export async function readTracks(id: number): Promise<Tracks> {
  const bytes: ArrayBuffer = await told(http.GET('/api/projects/{id}/tracks', { params: { path: { id } }, parseAs: 'arrayBuffer' }));
  const [head, from] = readHead<TracksHead>(bytes);
  const poses = new Float32Array(bytes.slice(from));
  let at = 0;
  const of = new Map(head.tracks.map((t) => [`${t.of}/${t.id}`, poses.subarray(at, (at += 7 * t.frames))]));
  return { first: head.first, of };
}

/** The pose of a thing at a frame; the first before it has any, the last after. */
export function poseAt(tracks: Tracks | undefined, of: string, frame: number): Float32Array | undefined {
  const track = tracks?.of.get(of);
  if (!tracks || !track || track.length === 0) return undefined;
  const k = Math.min(track.length / 7 - 1, Math.max(0, frame - tracks.first));
  return track.subarray(7 * k, 7 * k + 7);
}
