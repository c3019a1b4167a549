/** Loose pieces: a small ball at each point. */
import * as T from 'three';
import type { Shape } from '../api/shape';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';

/** Pieces up to which each is drawn round. */
const ROUND = 600;

export class DriftLayer implements BodyLayer {
  readonly group = new T.Group();
  readonly positions: Float32Array;
  readonly mesh: T.InstancedMesh;
  private material: T.MeshStandardMaterial | T.MeshLambertMaterial;
  private place = new T.Matrix4();

  constructor(
    private shape: Shape,
    plain: boolean,
    colour: string,
  ) {
    this.positions = shape.placed.slice();
    const look = { color: colour };
    this.material = plain ? new T.MeshLambertMaterial(look) : new T.MeshStandardMaterial({ ...look, roughness: 0.85 });
    const count = shape.head.points;
    this.mesh = new T.InstancedMesh(new T.IcosahedronGeometry(1, count <= ROUND ? 2 : 1), this.material, count);
    this.mesh.castShadow = this.mesh.receiveShadow = true;
    this.mesh.frustumCulled = false;
    this.group.add(this.mesh);
    this.rest();
  }

  setWire(on: boolean) {
    this.material.wireframe = on;
  }

  setDye(colour: string) {
    this.material.color.set(colour);
  }

  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  changed(as: 'true' | 'stale' | 'ghost') {
    fade(this.material, as);
    const { positions: p, place } = this;
    const { radii } = this.shape;
    for (let k = 0; k < radii.length; k++) {
      // What is not there has no place and no size.
      const there = !Number.isNaN(p[3 * k]!);
      const r = there ? radii[k]! : 0;
      if (!there) {
        this.mesh.setMatrixAt(k, place.makeScale(0, 0, 0));
        continue;
      }
      this.mesh.setMatrixAt(k, place.makeScale(r, r, r).setPosition(p[3 * k]!, p[3 * k + 1]!, p[3 * k + 2]!));
    }
    this.mesh.instanceMatrix.needsUpdate = true;
    this.mesh.boundingSphere = null;
  }

  there(): number {
    let count = 0;
    for (let k = 0; k < this.positions.length; k += 3) if (!Number.isNaN(this.positions[k]!)) count += 1;
    return count;
  }

  ready() {}

  bounds(): T.Box3 {
    const box = new T.Box3();
    const at = new T.Vector3();
    for (let k = 0; k < this.positions.length; k += 3)
      if (!Number.isNaN(this.positions[k]!)) box.expandByPoint(at.fromArray(this.positions, k));
    return box.expandByScalar(this.shape.radii.reduce((a, b) => Math.max(a, b), 0));
  }

  dispose() {
    this.mesh.geometry.dispose();
    this.mesh.dispose();
    this.material.dispose();
  }
}
