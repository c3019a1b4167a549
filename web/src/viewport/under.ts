/** What is under a place on the canvas. */
import * as T from 'three';
import type { Hit, Stage } from './stage';

export class Under {
  constructor(private stage: Stage) {}

  /** What stands at a place on the canvas, the nearest of all that can be seen. */
  hit(x: number, y: number): Hit | null {
    if (this.stage.arms.isNear) return null;
    const button = this.stage.handles.at(x, y, (p) => this.stage.onCanvas(p));
    if (button) return { kind: 'handles', id: button };
    const ray = this.stage.picker.ray(x, y);
    const meshes = this.meshes();
    const found = ray.intersectObjects(meshes, false).find((h) => h.object.userData['id']);
    return found ? (found.object.userData as Hit) : null;
  }

  /** All that rays meet, ready for them. */
  private meshes(): T.Object3D[] {
    const { layers, colliders, figures } = this.stage;
    for (const l of layers.values()) l.drawn.ready();
    const seen = [...layers.values()].filter((l) => l.drawn.group.visible);
    return [...seen.map((l) => l.drawn.mesh), ...colliders.meshes(), ...figures.meshes()];
  }

  /** The spot of a figure's surface at a place on the canvas: its triangle, and the shares of the second and third corner. */
  spot(x: number, y: number): { figure: string; triangle: number; second: number; third: number } | null {
    const found = this.stage.picker.ray(x, y).intersectObjects(this.stage.figures.meshes(), false)[0];
    if (!found || found.faceIndex == null) return null;
    const mesh = found.object as T.Mesh;
    const [index, place] = [mesh.geometry.getIndex()!, mesh.geometry.getAttribute('position') as T.BufferAttribute];
    // The tree that finds triangles keeps them in an order of its own.
    const corner = (k: number) => index.getX(3 * found.faceIndex! + k);
    const [a, b, c] = [0, 1, 2].map((k) => new T.Vector3().fromBufferAttribute(place, corner(k)));
    const shares = new T.Triangle(a, b, c).getBarycoord(mesh.worldToLocal(found.point.clone()), new T.Vector3());
    const { id } = mesh.userData as Hit;
    const triangle = this.stage.figures.triangle(id, corner(0), corner(1), corner(2));
    return shares && triangle != null ? { figure: id, triangle, second: shares.y, third: shares.z } : null;
  }

  /** The place in the world under a place on the canvas: on what is there, else as far away as `near`, else on the ground. */
  place(x: number, y: number, near: number[] | null): number[] | null {
    const ray = this.stage.picker.ray(x, y);
    const meshes = this.meshes();
    const met = ray.intersectObjects(meshes, false)[0]?.point;
    const facing =
      near &&
      new T.Plane().setFromNormalAndCoplanarPoint(this.stage.camera.getWorldDirection(new T.Vector3()), new T.Vector3().fromArray(near));
    const ground = new T.Plane(new T.Vector3(0, 1, 0), -this.stage.ground.group.position.y);
    const at = met ?? (facing && ray.ray.intersectPlane(facing, new T.Vector3())) ?? ray.ray.intersectPlane(ground, new T.Vector3());
    return at && at.length() < 500 ? at.toArray().map((c) => Number(c.toFixed(3))) : null;
  }

  /** The body that is at a place on the canvas, and its point that is nearest there. */
  point(x: number, y: number): { body: string; point: number } | null {
    const ray = this.stage.picker.ray(x, y);
    const shown = [...this.stage.layers].filter(([, l]) => l.drawn.group.visible);
    for (const [, l] of shown) l.drawn.ready();
    const met = ray.intersectObjects(
      shown.map(([, l]) => l.drawn.mesh),
      false,
    )[0];
    const id = met && (met.object.userData as Hit).id;
    const p = id ? this.stage.layers.get(id)?.drawn.positions : undefined;
    if (!id || !p || !met) return null;
    let [best, far] = [0, Infinity];
    for (let k = 0; k < p.length; k += 3) {
      const d = (p[k]! - met.point.x) ** 2 + (p[k + 1]! - met.point.y) ** 2 + (p[k + 2]! - met.point.z) ** 2;
      if (d < far) [best, far] = [k / 3, d];
    }
    return { body: id, point: best };
  }

  /** A place in the world as a thing's own. */
  within(of: { position: number[]; turn: number[] }, place: number[]): number[] {
    const turn = new T.Quaternion().fromArray(of.turn).invert();
    const p = new T.Vector3().fromArray(place).sub(new T.Vector3().fromArray(of.position)).applyQuaternion(turn);
    return p.toArray().map((c) => Number(c.toFixed(3)));
  }

  /** Whether a place on the canvas is the vane's head. */
  isOnVane(x: number, y: number): boolean {
    const tip = this.stage.vane.tip;
    if (!tip) return false;
    const [u, v] = this.stage.onCanvas(tip);
    return Math.hypot(u - x, v - y) < 16;
  }
}
