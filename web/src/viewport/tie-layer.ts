/** Ties of grips: a thread from what is held to the handle that holds it, where that is far away. Of an open grip one from each of its
 * points, of others one from the nearest. */
import * as T from 'three';
import type { Body } from '../api/http';
import type { Shape } from '../api/shape';
import type { HandleLayer } from './handle-layer';

const THREAD = '#7d6c50';
/** Ties of one grip at most. */
const MOST = 24;
/** Nearer than this share of the body's size a tie says nothing. */
const NEAR = 0.04;

export class TieLayer {
  readonly lines = new T.LineSegments(
    new T.BufferGeometry(),
    new T.LineBasicMaterial({ color: THREAD, transparent: true, opacity: 0.55, depthTest: false }),
  );
  private grips: { handle: string; points: number[]; open: boolean }[] = [];
  private size = 1;

  constructor(private handles: HandleLayer) {
    this.lines.frustumCulled = false;
    this.lines.renderOrder = 1;
    this.lines.visible = false;
  }

  /** The grips of a body that handles hold; of none where there is no body. */
  set(body: Body | undefined, shape: Shape | undefined, open: string | null) {
    this.grips = [];
    if (body && shape) {
      this.size = new T.Box3().setFromArray(shape.placed).getSize(new T.Vector3()).length() || 1;
      for (const { grip, points } of shape.head.grips) {
        const to = body.grips?.[grip]?.to;
        if (points.length === 0 || typeof to !== 'object' || !('handle' in to)) continue;
        const step = Math.max(1, Math.ceil(points.length / MOST));
        this.grips.push({ handle: to.handle, points: points.filter((_, k) => k % step === 0), open: grip === open });
      }
    }
    this.lines.visible = this.grips.length > 0;
  }

  /** Draws them where the points and the handles are. */
  follow(p: Float32Array) {
    if (!this.lines.visible) return;
    const ends: number[] = [];
    for (const { handle, points, open } of this.grips) {
      const to = this.handles.objectOf(handle)?.object.getWorldPosition(new T.Vector3());
      if (!to) continue;
      const at = points.map((q) => new T.Vector3(p[3 * q], p[3 * q + 1], p[3 * q + 2])).sort((a, b) => a.distanceTo(to) - b.distanceTo(to));
      for (const from of open ? at : at.slice(0, 1)) {
        if (from.distanceTo(to) > NEAR * this.size) ends.push(from.x, from.y, from.z, to.x, to.y, to.z);
      }
    }
    this.lines.geometry.dispose();
    this.lines.geometry = new T.BufferGeometry().setAttribute('position', new T.BufferAttribute(new Float32Array(ends), 3));
  }
}
