/** Where things are at the frame, as the core has them: asked for once, when what it follows from has changed. */
import type * as T from 'three';
import type { Node, Scene } from '../api/http';
import { poseAt, type Tracks } from '../api/tracks';
import { fetchTracks } from '../state/queries';
import { nodeMoves, placeOf } from '../state/value';

export type Placed = { place?: Node };

export class Places {
  private tracks: Tracks | undefined;
  private asked = '';
  /** Told when places have come. */
  onNews: () => void = () => {};

  /** What places follow from: the colliders, handles, figures, cameras and frames of a scene. */
  follow(
    project: number,
    {
      colliders = {},
      handles = {},
      figures = {},
      cameras = {},
      frames,
    }: Pick<Scene, 'colliders' | 'handles' | 'figures' | 'cameras' | 'frames'>,
  ) {
    const things = [colliders, handles, figures, cameras].flatMap((of) => Object.entries(of)) as [string, Placed][];
    if (!things.some(([, t]) => nodeMoves(t.place))) return;
    const key = JSON.stringify([things.map(([id, t]) => [id, t.place]), figures, frames]);
    if (key === this.asked) return;
    this.asked = key;
    void fetchTracks(project, key).then(
      (tracks) => {
        if (this.asked !== key) return;
        this.tracks = tracks;
        this.onNews();
      },
      () => (this.asked = ''),
    );
  }

  /** Puts an object where a thing is at a frame. */
  put(object: T.Object3D, of: string, place: Node | undefined, frame: number) {
    const pose = nodeMoves(place) ? poseAt(this.tracks, of, frame) : undefined;
    if (pose) {
      object.position.fromArray(pose, 0);
      object.quaternion.fromArray(pose, 3);
      return;
    }
    const { position, turn } = placeOf(place);
    object.position.fromArray(position);
    object.rotation.set(turn[0]!, turn[1]!, turn[2]!, 'ZYX');
  }
}
