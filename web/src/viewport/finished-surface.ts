/** A cloth as it is finished: drawn in place of its computed surface, from the same points and in the same look. */
import * as T from 'three';
import { faced, spread, type Finished } from '../api/finish';

export class FinishedSurface {
  readonly geometry = new T.BufferGeometry();
  private at: Float32Array;
  private up: Float32Array;
  private hollow: Float32Array;
  private twice: boolean;

  /** `still` are numbers of the computed points that do not change from frame to frame, by the names of their attributes. */
  constructor(
    private of: Finished,
    private still: Record<string, { of: ArrayLike<number>; size: number }>,
  ) {
    const n = of.head.points;
    this.twice = of.head.half > 0;
    [this.at, this.up, this.hollow] = [new Float32Array(3 * n), new Float32Array(3 * n), new Float32Array(n)];
    const all = this.twice ? 2 * n : n;
    for (const [name, size] of [
      ['position', 3],
      ['normal', 3],
      ['hollow', 1],
    ] as const) {
      this.geometry.setAttribute(name, new T.BufferAttribute(new Float32Array(size * all), size).setUsage(T.DynamicDrawUsage));
    }
    this.geometry.setIndex(new T.BufferAttribute(of.triangles, 1));
    this.stay(this.still);
  }

  /** Takes in numbers of the computed points that only change when somebody changes them. */
  stay(still: Record<string, { of: ArrayLike<number>; size: number }>) {
    const n = this.of.head.points;
    for (const [name, { of, size }] of Object.entries(still)) {
      const out = new Float32Array(size * (this.twice ? 2 * n : n));
      spread(this.of, of, size, out);
      if (this.twice) out.copyWithin(size * n, 0, size * n);
      this.geometry.setAttribute(name, new T.BufferAttribute(out, size));
    }
  }

  /** Goes to where the computed points are. */
  go(positions: Float32Array, hollow: Float32Array) {
    const { of, at, up, geometry, twice } = this;
    const n = of.head.points;
    spread(of, positions, 3, at);
    spread(of, hollow, 1, this.hollow);
    faced(at, of.surface, up);
    const [p, q, d] = ['position', 'normal', 'hollow'].map((k) => geometry.getAttribute(k) as T.BufferAttribute) as [
      T.BufferAttribute,
      T.BufferAttribute,
      T.BufferAttribute,
    ];
    const { half } = of.head;
    for (let k = 0; k < 3 * n; k++) {
      p.array[k] = at[k]! + half * up[k]!;
      q.array[k] = up[k]!;
      if (!twice) continue;
      p.array[3 * n + k] = at[k]! - half * up[k]!;
      q.array[3 * n + k] = -up[k]!;
    }
    for (let k = 0; k < n; k++) {
      d.array[k] = this.hollow[k]!;
      if (twice) d.array[n + k] = -this.hollow[k]!;
    }
    for (const a of [p, q, d]) a.needsUpdate = true;
  }

  dispose() {
    this.geometry.dispose();
  }
}
