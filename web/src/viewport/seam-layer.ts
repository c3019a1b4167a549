/** Seams of the open body: along each a line of stitches, and a thread where its sides are apart. */
import * as T from 'three';
import type { Shape } from '../api/shape';

/** Two threads in turn, dark and pale, so that one of them shows on every dye. */
const SEWN = '#4A2F22';
const PALE = '#FBF6E9';
const OPEN = '#B2452F';

export class SeamLayer {
  readonly group = new T.Group();
  private sewn = SeamLayer.lines(SEWN, 0.9);
  private pale = SeamLayer.lines(PALE, 0.95);
  private open = SeamLayer.lines(OPEN, 0.9);
  private shape: Shape | undefined;

  private static lines(color: string, opacity: number) {
    const l = new T.LineSegments(new T.BufferGeometry(), new T.LineBasicMaterial({ color, transparent: true, opacity, depthTest: false }));
    l.frustumCulled = false;
    l.renderOrder = 2;
    return l;
  }

  constructor() {
    this.group.add(this.sewn, this.pale, this.open);
    this.group.visible = false;
  }

  /** The seams of a shape; of none nothing. */
  set(shape: Shape | undefined) {
    this.shape = shape?.head.seams.some((s) => s.stitches.length > 0) ? shape : undefined;
    this.group.visible = this.shape !== undefined;
  }

  /** Draws them where the points are. */
  follow(p: Float32Array) {
    if (!this.shape) return;
    const at = (k: number) => new T.Vector3(p[3 * k], p[3 * k + 1], p[3 * k + 2]);
    const [sewn, pale, open]: [number[], number[], number[]] = [[], [], []];
    const far = 0.6 * this.shape.head.longest_edge;
    for (const { stitches, shares } of this.shape.head.seams) {
      let before: T.Vector3 | null = null;
      stitches.forEach(([q, a, b], k) => {
        const [from, to] = [at(q!), at(a!).lerp(at(b!), shares[k]!)];
        const apart = from.distanceTo(to);
        const middle = from.clone().lerp(to, 0.5);
        if (apart > far) open.push(...from.toArray(), ...to.toArray());
        // A stitch is a short dash across the next edge, so that a seam is told from a crease.
        else if (before && before.distanceTo(middle) < 4 * far) {
          const on = (s: number) => before!.clone().lerp(middle, s).toArray();
          sewn.push(...on(0.1), ...on(0.5));
          pale.push(...on(0.5), ...on(0.9));
        }
        before = middle;
      });
    }
    for (const [layer, ends] of [
      [this.sewn, sewn],
      [this.pale, pale],
      [this.open, open],
    ] as const) {
      layer.geometry.dispose();
      layer.geometry = new T.BufferGeometry().setAttribute('position', new T.BufferAttribute(new Float32Array(ends), 3));
    }
  }
}
