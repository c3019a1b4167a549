/** A cloth as it is finished: drawn in place of its computed surface, from the same points and in the same look. */
import * as T from 'three';
import { finishedAt, through, type Finished } from '../api/finish';

type Still = Record<string, { of: ArrayLike<number>; size: number }>;

export class FinishedSurface {
  readonly geometry = new T.BufferGeometry();

  /** `still` are numbers of the computed points that do not change from frame to frame, by the names of their attributes. */
  constructor(
    private of: Finished,
    still: Still,
  ) {
    this.geometry.setIndex(new T.BufferAttribute(of.triangles, 1));
    this.stay(still);
  }

  /** Takes in numbers of the computed points that only change when somebody changes them. */
  stay(still: Still) {
    for (const [name, { of, size }] of Object.entries(still))
      this.geometry.setAttribute(name, new T.BufferAttribute(through(this.of, of, size), size));
  }

  /** Goes to where the computed points are. */
  go(positions: Float32Array, hollow: Float32Array) {
    const { at, up } = finishedAt(this.of, positions);
    // What is hollow seen from one side is a ridge seen from the other.
    const deep = through(this.of, hollow, 1, true);
    for (const [name, array, size] of [
      ['position', at, 3],
      ['normal', up, 3],
      ['hollow', deep, 1],
    ] as const) {
      const own = this.geometry.getAttribute(name) as T.BufferAttribute | undefined;
      if (!own) this.geometry.setAttribute(name, new T.BufferAttribute(array.slice(), size).setUsage(T.DynamicDrawUsage));
      else {
        own.array.set(array);
        own.needsUpdate = true;
      }
    }
  }

  dispose() {
    this.geometry.dispose();
  }
}
