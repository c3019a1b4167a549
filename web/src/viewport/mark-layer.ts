/** Marks on a body: knots where it is held, the cord they hang on, dots where points are chosen. */
import * as T from 'three';
import type { Shape } from '../api/shape';

const INK = '#26312f';

/** The points of a grip that it holds for good, or all alike. */
const firm = (g: Shape['head']['grips'][number]) => {
  const soft = new Set(g.soft);
  return soft.size > 0 ? g.points.filter((p) => !soft.has(p)) : g.points;
};

/** Where a point is. */
function place(p: Float32Array, q: number): T.Vector3 {
  return new T.Vector3(p[3 * q], p[3 * q + 1], p[3 * q + 2]);
}

/** From so many held points on they stand for those around them. */
const CROWD = 60;

/** Of points those that are no nearer to one before than so far. */
function thinned(points: number[], p: Float32Array, apart: number): number[] {
  const taken = new Map<string, number[]>();
  const cell = (q: number, c: number) => Math.floor(p[3 * q + c]! / apart);
  return points.filter((q) => {
    const [x, y, z] = [cell(q, 0), cell(q, 1), cell(q, 2)];
    for (let k = 0; k < 27; k++) {
      const near = taken.get(`${x - 1 + (k % 3)} ${y - 1 + (Math.floor(k / 3) % 3)} ${z - 1 + Math.floor(k / 9)}`);
      if (near?.some((o) => Math.hypot(p[3 * o]! - p[3 * q]!, p[3 * o + 1]! - p[3 * q + 1]!, p[3 * o + 2]! - p[3 * q + 2]!) < apart))
        return false;
    }
    const own = taken.get(`${x} ${y} ${z}`);
    if (own) own.push(q);
    else taken.set(`${x} ${y} ${z}`, [q]);
    return true;
  });
}

export class MarkLayer {
  readonly group = new T.Group();
  private knots: T.InstancedMesh;
  private held: number[];
  /** A knot at rest, and while things move where drawing is slow. */
  private tied: T.BufferGeometry;
  private rough: T.BufferGeometry;
  private dots = new T.Points(
    new T.BufferGeometry(),
    new T.PointsMaterial({ color: '#2e5f82', size: 9, sizeAttenuation: false, map: disc(), transparent: true, depthTest: false }),
  );
  private chosen: number[] = [];
  /** The edges of triangles that are at fault in the frame on screen. */
  private faulty = new T.LineSegments(
    new T.BufferGeometry(),
    new T.LineBasicMaterial({ color: '#a13a22', depthTest: false, transparent: true }),
  );
  private corners: number[] = [];
  private cordSize: number;
  private cords: { points: number[]; mesh: T.Mesh; drawn: string }[] = [];

  constructor(private shape: Shape) {
    // What is only pulled by a map has its dye and no knots.
    this.held = [...new Set(shape.head.grips.flatMap((g) => firm(g)))];
    // Small where they crowd: never more than a third of what lies between two of them, nor a thirtieth of the body.
    const whole = new T.Box3().setFromArray(shape.placed).getSize(new T.Vector3()).length();
    const size = Math.min(0.022, 0.32 * shape.head.longest_edge, whole / 60);
    if (this.held.length > CROWD) this.held = thinned(this.held, shape.placed, Math.max(4 * size, whole / 45));
    this.tied = new T.TorusKnotGeometry(size, 0.38 * size, 40, 7, 2, 3);
    this.rough = new T.OctahedronGeometry(1.1 * size);
    this.knots = new T.InstancedMesh(this.tied, new T.MeshStandardMaterial({ color: INK, roughness: 0.8 }), this.held.length);
    this.knots.frustumCulled = false;
    this.dots.frustumCulled = false;
    this.dots.renderOrder = 2;
    this.cordSize = 0.5 * size;
    this.cords = this.rows();
    this.faulty.frustumCulled = false;
    this.faulty.renderOrder = 2;
    this.group.add(this.knots, this.dots, this.faulty, ...this.cords.map((c) => c.mesh));
    this.follow(shape.placed);
  }

  /** A cord through the points of each grip that lie in a row. */
  private rows() {
    const material = new T.MeshStandardMaterial({ color: '#7d6c50', roughness: 0.9 });
    const { placed, head } = this.shape;
    return head.grips.flatMap((g) => {
      const points = firm(g);
      if (points.length < 3 || points.length > 400) return [];
      const at = points.map((p) => place(placed, p));
      const gaps = at.slice(1).map((p, k) => p.distanceTo(at[k]!));
      const usual = [...gaps].sort((a, b) => a - b)[gaps.length >> 1]!;
      if (gaps.some((g) => g > 3 * usual)) return [];
      const mesh = new T.Mesh(new T.BufferGeometry(), material);
      mesh.castShadow = true;
      mesh.frustumCulled = false;
      return [{ points, mesh, drawn: '' }];
    });
  }

  /** Draws each cord anew whose grip has moved: as one piece, so three of its points tell. */
  private stretch(p: Float32Array) {
    for (const cord of this.cords) {
      const at = cord.points.map((q) => place(p, q));
      const three = [at[0]!, at[at.length >> 1]!, at[at.length - 1]!].map((v) => v.toArray().join()).join();
      if (three === cord.drawn) continue;
      cord.drawn = three;
      cord.mesh.geometry.dispose();
      const path = new T.CatmullRomCurve3(at, false, 'chordal');
      cord.mesh.geometry = new T.TubeGeometry(path, 4 * at.length, this.cordSize, 6);
    }
  }

  setBest(best: boolean) {
    this.knots.geometry = best ? this.tied : this.rough;
  }

  choose(points: number[]) {
    this.chosen = points;
    this.dots.visible = points.length > 0;
  }

  /** Marks triangles, or none; whether that changes anything. */
  blame(triangles: readonly (readonly number[])[]): boolean {
    if (triangles.length === 0 && this.corners.length === 0) return false;
    this.corners = triangles.flatMap(([a, b, c]) => [a!, b!, b!, c!, c!, a!]);
    this.faulty.visible = this.corners.length > 0;
    return true;
  }

  /** Moves the marks to where the points are. */
  follow(p: Float32Array) {
    const m = new T.Matrix4();
    this.held.forEach((q, k) => this.knots.setMatrixAt(k, m.makeTranslation(p[3 * q]!, p[3 * q + 1]!, p[3 * q + 2]!)));
    this.knots.instanceMatrix.needsUpdate = true;
    this.stretch(p);
    if (this.corners.length > 0) {
      const at = new Float32Array(this.corners.flatMap((q) => [p[3 * q]!, p[3 * q + 1]!, p[3 * q + 2]!]));
      this.faulty.geometry.setAttribute('position', new T.BufferAttribute(at, 3));
    }
    if (this.chosen.length > 0) {
      const at = new Float32Array(this.chosen.flatMap((q) => [p[3 * q]!, p[3 * q + 1]!, p[3 * q + 2]!]));
      this.dots.geometry.setAttribute('position', new T.BufferAttribute(at, 3));
    }
  }

  dispose() {
    this.group.traverse((o) => {
      if (o instanceof T.Mesh || o instanceof T.Points || o instanceof T.LineSegments) o.geometry.dispose();
    });
    this.tied.dispose();
    this.rough.dispose();
    this.knots.dispose();
  }
}

/** A round dot with a light rim. */
function disc(): T.Texture {
  const c = document.createElement('canvas');
  c.width = c.height = 32;
  const k = c.getContext('2d')!;
  k.fillStyle = '#fff';
  k.beginPath();
  k.arc(16, 16, 13, 0, 7);
  k.fill();
  return new T.CanvasTexture(c);
}
