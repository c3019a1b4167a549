/** Where one looks from: all of it, a thing, a side, a camera of the scene. */
import * as T from 'three';
import type { Camera } from '../api/http';
import { shapeOf, useView } from '../state/view';
import { clock } from '../stream/clock';
import type { From, Stage } from './stage';

export class Views {
  constructor(private stage: Stage) {}

  /** Brings the chosen body into view from where one looks; all, where `only` is null or nothing is chosen. */
  frame(only: string | null | undefined = this.stage.chosen) {
    const one = only && this.stage.layers.has(only) && this.stage.layers.size > 1 ? only : null;
    const box = this.stage.bounds(one);
    if (!one) box.union(this.stage.colliders.bounds()).union(this.stage.figures.bounds()).union(this.stage.beside.bounds());
    if (box.isEmpty()) return;
    const size = box.getSize(new T.Vector3()).length();
    // With the ground, where it is near: the shadow tells how high a body is.
    const ground = this.stage.ground.group.position.y;
    if (box.min.y > ground && box.min.y - ground < 0.25 * size) box.min.y = ground;
    this.lookAt(box, this.way());
  }

  /** From what is looked at to where one looks from. */
  private way(): T.Vector3 {
    const to = this.stage.controls?.target ?? new T.Vector3();
    return this.stage.camera.position.clone().sub(to).normalize();
  }

  /** Brings a thing into view from where one looks; all, where nothing of it is anywhere. */
  frameThing(kind: 'bodies' | 'colliders' | 'handles' | 'figures' | 'fields', id: string) {
    const box = new T.Box3();
    if (kind === 'bodies') return this.frame(id);
    if (kind === 'colliders') box.copy(this.stage.boxOf(id));
    else if (kind === 'figures') box.copy(this.stage.figures.bounds());
    else if (kind === 'handles') {
      const at = this.stage.handles.objectOf(id)?.object.getWorldPosition(new T.Vector3());
      const near = 0.2 * this.stage.bounds().getSize(new T.Vector3()).length();
      if (at) box.setFromCenterAndSize(at, new T.Vector3(near, near, near));
    } else box.copy(this.stage.outlines.bounds(`/fields/${id}`));
    if (box.isEmpty()) return this.frame(null);
    this.lookAt(box, this.way());
  }

  /** Looks at all, or the chosen body, from a side. */
  lookFrom(from: From) {
    const ways: Record<From, [number, number, number]> = {
      'the front': [0, 0, 1],
      'the side': [1, 0, 0],
      above: [0, 1, 0.0001],
      'a corner': [0.5, 0.36, 0.79],
    };
    this.lookAt(
      this.stage.bounds().union(this.stage.colliders.bounds()).union(this.stage.figures.bounds()),
      new T.Vector3(...ways[from]).normalize(),
    );
  }

  private lookAt(box: T.Box3, way: T.Vector3) {
    if (!this.stage.controls) return;
    const ball = box.getBoundingSphere(new T.Sphere());
    const half = T.MathUtils.degToRad(this.stage.camera.fov / 2);
    const round = (ball.radius * 0.94) / Math.sin(Math.min(half, Math.atan(Math.tan(half) * this.stage.camera.aspect)));
    const far = Math.max(0.05, Math.min(1.3 * round, Math.max(0.75 * round, this.fits(box, way, half))));
    this.stage.controls.target.copy(ball.center);
    this.stage.camera.position.copy(ball.center).addScaledVector(way, far);
    this.stage.controls.update();
    this.stage.light();
    this.stage.tellLook();
    this.stage.drawAll();
  }

  /** From how far off all corners of a box are within the picture, with room for what stands along its edges. */
  private fits(box: T.Box3, way: T.Vector3, half: number): number {
    const middle = box.getCenter(new T.Vector3());
    const right = new T.Vector3(0, 1, 0).cross(way);
    if (right.lengthSq() < 1e-9) right.set(1, 0, 0);
    right.normalize();
    const up = way.clone().cross(right);
    const [tall, wide] = [0.8 * Math.tan(half), 0.9 * Math.tan(half) * this.stage.camera.aspect];
    let far = 0;
    for (let k = 0; k < 8; k++) {
      const pick = (bit: number, low: number, high: number) => (k & bit ? high : low);
      const corner = new T.Vector3(pick(1, box.min.x, box.max.x), pick(2, box.min.y, box.max.y), pick(4, box.min.z, box.max.z)).sub(middle);
      far = Math.max(far, corner.dot(way) + Math.max(Math.abs(corner.dot(right)) / wide, Math.abs(corner.dot(up)) / tall));
    }
    return far;
  }

  /** Looks from a camera of the scene, as it stands at the frame. */
  lookFromCamera(id: string, camera: Camera) {
    if (!this.stage.controls) return;
    const stand = new T.Object3D();
    this.stage.places.put(stand, `cameras/${id}`, camera.place, clock.frame);
    const way = new T.Vector3(0, 0, -1).applyQuaternion(stand.quaternion);
    // One turns about what is looked at: as far off as the middle of the bodies, on the way that it looks.
    const far = this.stage.bounds().getCenter(new T.Vector3()).sub(stand.position).dot(way);
    this.stage.framed = true;
    this.stage.camera.position.copy(stand.position);
    this.stage.controls.target.copy(stand.position).addScaledVector(way, Math.max(0.3, far));
    this.setAngle(camera.angle ?? 0.6);
    this.stage.controls.update();
    this.stage.light();
    this.stage.tellLook();
    this.stage.drawAll();
  }

  /** An angle of view of the picture: where its edges are within the view, that sees more. */
  private setAngle(radians: number) {
    this.stage.camera.fov = T.MathUtils.radToDeg(2 * Math.atan(Math.tan(radians / 2) / this.shareOfHeight()));
    this.stage.camera.updateProjectionMatrix();
  }

  /** The share of the view's height that the picture has of a proof. */
  private shareOfHeight(): number {
    const aspect = shapeOf(useView.getState().proofShape)?.aspect;
    return aspect ? Math.min(1, this.stage.camera.aspect / aspect) : 1;
  }

  /** The angle of view of the picture that a proof would be, from its lower to its upper edge. */
  get pictureAngle(): number {
    return 2 * Math.atan(Math.tan(T.MathUtils.degToRad(this.stage.camera.fov) / 2) * this.shareOfHeight());
  }

  /** Where one looks from, as a camera of the scene has it. */
  asCamera(): { position: number[]; turn: number[]; angle: number } {
    const turn = new T.Euler().setFromQuaternion(this.stage.camera.quaternion, 'ZYX');
    const tidy = (v: number) => Number(v.toFixed(4));
    return {
      position: this.stage.camera.position.toArray().map(tidy),
      turn: [turn.x, turn.y, turn.z].map(tidy),
      angle: tidy(this.pictureAngle),
    };
  }
}
