/** Loose pieces: a small ball at each point; what flies as a plate or a winged seed a thin leaf, turned as it is; or a mesh of their own. */
import * as T from 'three';
import type { Shape } from '../api/shape';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';
import { boundsOf, presentOf } from './present';

/** Pieces up to which each is drawn round, and up to which it has some faces. */
const ROUND = 600;
const FACED = 2000;
const ball = (count: number) => (count <= FACED ? new T.IcosahedronGeometry(1, count <= ROUND ? 2 : 1) : new T.OctahedronGeometry(1.1, 0));

/** A leaf one long and one wide, that faces up along y, its halves lifted a little. */
function leaf(): T.BufferGeometry {
  const at = [
    [-0.5, 0, 0],
    [-0.05, 0, 0],
    [0.5, 0, 0],
    [-0.05, 0.12, 0.5],
    [-0.05, 0.12, -0.5],
  ] as const;
  const sides = [
    [0, 3, 1],
    [1, 3, 2],
    [0, 1, 4],
    [1, 2, 4],
  ];
  const g = new T.BufferGeometry();
  g.setAttribute(
    'position',
    new T.Float32BufferAttribute(
      sides.flatMap((t) => t.flatMap((k) => [...at[k]!])),
      3,
    ),
  );
  g.computeVertexNormals();
  return g;
}

/** The mesh that pieces are seen as, with flat faces. */
function seenAs({ points, triangles }: NonNullable<Shape['piece']>): T.BufferGeometry {
  const whole = new T.BufferGeometry();
  whole.setAttribute('position', new T.BufferAttribute(points, 3));
  whole.setIndex(new T.BufferAttribute(triangles, 1));
  const g = whole.toNonIndexed();
  g.computeVertexNormals();
  return g;
}

/** A piece lies that has gone no farther than this since the frame before, metres. */
const STILL = 0.0005;
/** What its dye is multiplied by, as it flies and as it lies. */
const FLYING = new T.Color(1, 1, 1);
const LYING = new T.Color(0.66, 0.6, 0.52);

export class DriftLayer implements BodyLayer {
  readonly group = new T.Group();
  readonly positions: Float32Array;
  readonly before: Float32Array;
  readonly turns?: Float32Array;
  readonly mesh: T.InstancedMesh;
  private material: T.MeshStandardMaterial | T.MeshLambertMaterial;
  private place = new T.Matrix4();
  private still = 0;

  constructor(
    private shape: Shape,
    plain: boolean,
    colour: string,
  ) {
    this.positions = shape.placed.slice();
    this.before = new Float32Array(this.positions.length).fill(NaN);
    const thin = shape.ends.length > 0;
    if (thin) this.turns = new Float32Array(4 * shape.head.points).map((_, k) => (k % 4 === 3 ? 1 : 0));
    const own = shape.piece;
    const look = { color: colour, ...(thin || own ? { side: T.DoubleSide } : {}) };
    this.material = plain ? new T.MeshLambertMaterial(look) : new T.MeshStandardMaterial({ ...look, roughness: 0.85 });
    const count = shape.head.points;
    this.mesh = new T.InstancedMesh(own ? seenAs(own) : thin ? leaf() : ball(count), this.material, count);
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
    this.before.fill(NaN);
    this.changed('ghost');
  }

  changed(as: 'true' | 'stale' | 'ghost') {
    fade(this.material, as);
    const { positions: p, place, turns: q } = this;
    const { radii, ends, piece } = this.shape;
    const [at, turn, size] = [new T.Vector3(), new T.Quaternion(), new T.Vector3()];
    // What is not there is not drawn.
    let drawn = 0;
    this.still = 0;
    for (let k = 0; k < radii.length; k++) {
      if (Number.isNaN(p[3 * k]!)) continue;
      at.fromArray(p, 3 * k);
      const r = radii[k]!;
      const [long, wide] = q ? [ends[2 * k]!, ends[2 * k + 1]!] : [2 * r, 2 * r];
      if (q) turn.fromArray(q, 4 * k).normalize();
      if (piece) place.compose(at, turn, size.setScalar(long));
      else if (q) place.compose(at, turn, size.set(long, wide, wide));
      else place.makeScale(r, r, r).setPosition(at);
      this.mesh.setMatrixAt(drawn, place);
      const lies = this.lies(k);
      this.mesh.setColorAt(drawn, lies ? LYING : FLYING);
      if (lies) this.still += 1;
      drawn += 1;
    }
    this.mesh.count = drawn;
    this.mesh.instanceMatrix.needsUpdate = true;
    if (this.mesh.instanceColor) this.mesh.instanceColor.needsUpdate = true;
    this.mesh.boundingSphere = null;
  }

  /** Whether a piece has not moved since the frame before. */
  private lies(k: number): boolean {
    const { positions: p, before: b } = this;
    const x = p[3 * k]! - b[3 * k]!;
    const y = p[3 * k + 1]! - b[3 * k + 1]!;
    const z = p[3 * k + 2]! - b[3 * k + 2]!;
    return x * x + y * y + z * z < STILL * STILL;
  }

  lying(): number {
    return this.still;
  }

  there(): number {
    return presentOf(this.positions);
  }

  ready() {}

  bounds(): T.Box3 {
    return boundsOf(this.positions).expandByScalar(this.shape.radii.reduce((a, b) => Math.max(a, b), 0));
  }

  dispose() {
    this.mesh.geometry.dispose();
    this.mesh.dispose();
    this.material.dispose();
  }
}
