/** A weather vane at the open wind: its head can be taken by hand, and turns the heading. */
import * as T from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';

const [PLUM, WOOD] = ['#6b4468', '#a9875a'];

export class VaneLayer {
  readonly group = new T.Group();
  private material = new LineMaterial({ color: PLUM, linewidth: 2.5, depthTest: false, transparent: true });
  private arrow = new LineSegments2(new LineSegmentsGeometry(), this.material);
  private head = new T.Mesh(new T.SphereGeometry(1, 16, 12), new T.MeshBasicMaterial({ color: WOOD, depthTest: false, transparent: true }));
  private size = 1;
  private middle = new T.Vector3();
  heading = 0;

  constructor() {
    this.arrow.renderOrder = this.head.renderOrder = 22;
    this.arrow.frustumCulled = false;
    this.group.add(this.arrow, this.head);
    this.group.visible = false;
  }

  setSize(w: number, h: number) {
    this.material.resolution.set(w, h);
  }

  /** Above a box, pointing where it blows to; hidden where there is no heading. */
  set(heading: number | null, box: T.Box3) {
    this.group.visible = heading !== null;
    if (heading === null) return;
    const size = box.getSize(new T.Vector3());
    this.size = 0.22 * Math.max(size.x, size.z, 0.4);
    this.middle.set((box.min.x + box.max.x) / 2, box.max.y + 0.35 * this.size, (box.min.z + box.max.z) / 2);
    this.turn(heading);
  }

  turn(heading: number) {
    this.heading = heading;
    const [c, s, r, m] = [Math.cos(heading), -Math.sin(heading), this.size, this.middle];
    const at = (along: number, side: number): [number, number, number] => [
      m.x + r * (along * c - side * s),
      m.y,
      m.z + r * (along * s + side * c),
    ];
    const lines = [
      at(-1, 0),
      at(1, 0),
      at(-1, 0),
      at(-1.18, 0.14),
      at(-0.86, 0),
      at(-1.04, 0.14),
      at(-0.72, 0),
      at(-0.9, 0.14),
      [m.x, m.y, m.z],
      [m.x, m.y - 0.3 * r, m.z],
    ];
    this.arrow.geometry.dispose();
    this.arrow.geometry = new LineSegmentsGeometry().setPositions(lines.flat());
    this.head.position.fromArray(at(1, 0));
    this.head.scale.setScalar(0.055 * r + 0.004);
  }

  /** Where its head is, while there is a vane. */
  get tip(): T.Vector3 | null {
    return this.group.visible ? this.head.position : null;
  }

  /** The heading that a ray through the level of the vane means. */
  toward(ray: T.Ray): number | null {
    const on = ray.intersectPlane(new T.Plane(new T.Vector3(0, 1, 0), -this.middle.y), new T.Vector3());
    if (!on || on.distanceTo(this.middle) < 0.05 * this.size) return null;
    return Math.atan2(-(on.z - this.middle.z), on.x - this.middle.x);
  }
}
