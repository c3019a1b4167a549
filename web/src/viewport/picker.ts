/** Choosing points on screen: only those that can be seen, unless one chooses through. */
import * as T from 'three';
import type { Stage } from './stage';

/** Pixels within which a click finds a point. */
const REACH = 12;

export class Picker {
  constructor(private stage: Stage) {}

  /** A ray through a place on the canvas. */
  ray(x: number, y: number): T.Raycaster {
    const { canvas, camera } = this.stage;
    const ray = new T.Raycaster();
    camera.updateMatrixWorld();
    ray.setFromCamera(new T.Vector2((2 * x) / canvas!.clientWidth - 1, 1 - (2 * y) / canvas!.clientHeight), camera);
    (ray as unknown as { firstHitOnly: boolean }).firstHitOnly = true;
    return ray;
  }

  /** Points of a body on the canvas: x, y in pixels and depth, three numbers each. */
  projected(id: string): Float32Array | null {
    const layer = this.stage.layers.get(id);
    const { canvas, camera } = this.stage;
    if (!layer || !canvas) return null;
    const p = layer.drawn.positions;
    const out = new Float32Array(p.length);
    const v = new T.Vector3();
    camera.updateMatrixWorld();
    for (let k = 0; k < p.length; k += 3) {
      v.set(p[k]!, p[k + 1]!, p[k + 2]!).project(camera);
      out[k] = ((v.x + 1) / 2) * canvas.clientWidth;
      out[k + 1] = ((1 - v.y) / 2) * canvas.clientHeight;
      out[k + 2] = v.z;
    }
    return out;
  }

  /** The same of a body whose points can be held: not of loose pieces. */
  private held(id: string): Float32Array | null {
    const shape = this.stage.layers.get(id)?.shape;
    return shape?.radii.length && !shape.strands.length ? null : this.projected(id);
  }

  /** Tells whether nothing stands between a point and the eye. */
  private sight(id: string): (point: number) => boolean {
    const { layers, colliders, camera } = this.stage;
    const layer = layers.get(id);
    if (!layer) return () => false;
    for (const l of layers.values()) l.drawn.ready();
    const meshes = [...[...layers.values()].filter((l) => l.drawn.group.visible).map((l) => l.drawn.mesh), ...colliders.meshes()];
    // The triangles about a point are met at the point itself.
    const slack = 0.25 * layer.shape.head.shortest_edge;
    const eye = camera.getWorldPosition(new T.Vector3());
    const ray = new T.Raycaster();
    (ray as unknown as { firstHitOnly: boolean }).firstHitOnly = true;
    return (point) => {
      const to = this.stage.pointOf(id, point)!;
      const way = to.sub(eye);
      const far = way.length();
      ray.set(eye, way.divideScalar(far));
      ray.far = far - slack;
      return ray.intersectObjects(meshes, false).length === 0;
    };
  }

  /** The point nearest to a place on the canvas, within a finger's reach. */
  pick(id: string, x: number, y: number, through: boolean): number | null {
    const p = this.held(id);
    if (!p) return null;
    const near: { point: number; score: number }[] = [];
    for (let k = 0; k < p.length; k += 3) {
      const d = Math.hypot(p[k]! - x, p[k + 1]! - y);
      if (d < REACH && p[k + 2]! < 1) near.push({ point: k / 3, score: through ? d + 400 * p[k + 2]! : d });
    }
    near.sort((a, b) => a.score - b.score);
    if (through) return near[0]?.point ?? null;
    const seen = this.sight(id);
    return near.find((n) => seen(n.point))?.point ?? null;
  }

  /** The piece of a body of loose ones that is at a place on the canvas, the nearest to the eye. */
  piece(id: string, x: number, y: number): number | null {
    const p = this.projected(id);
    let [best, near] = [null as number | null, Infinity];
    for (let k = 0; p && k < p.length; k += 3) {
      const score = Math.hypot(p[k]! - x, p[k + 1]! - y) + 400 * p[k + 2]!;
      if (Math.hypot(p[k]! - x, p[k + 1]! - y) < REACH && p[k + 2]! < 1 && score < near) [best, near] = [k / 3, score];
    }
    return best;
  }

  /** The edge nearest to a place on the canvas: its nearer end, and the other. */
  edge(id: string, x: number, y: number, through: boolean): [number, number] | null {
    const [p, near] = [this.held(id), this.pick(id, x, y, through)];
    const triangles = this.stage.layers.get(id)?.shape.triangles;
    if (!p || near === null || !triangles) return null;
    let best: [number, number] | null = null;
    const at = (k: number) => [p[3 * k]!, p[3 * k + 1]!] as const;
    const [a, b] = at(near);
    for (let k = 0; k < triangles.length; k += 3) {
      const corners = [triangles[k]!, triangles[k + 1]!, triangles[k + 2]!];
      if (!corners.includes(near)) continue;
      for (const other of corners) {
        if (other === near) continue;
        const [u, v] = at(other);
        // Beyond the point itself the edge goes on the same way: a press on either side of it means the same row.
        const long = Math.hypot(u - a, v - b) || 1;
        const off = Math.abs((x - a) * (v - b) - (y - b) * (u - a)) / long - (0.02 * ((x - a) * (u - a) + (y - b) * (v - b))) / long;
        if (!best || off < best[1]) best = [other, off];
      }
    }
    return best && [near, best[0]];
  }

  /** All points inside a rectangle of the canvas. */
  within(id: string, x0: number, y0: number, x1: number, y1: number, through: boolean): number[] {
    const p = this.held(id);
    const found: number[] = [];
    for (let k = 0; p && k < p.length; k += 3) {
      const [x, y] = [p[k]!, p[k + 1]!];
      if (x >= x0 && x <= x1 && y >= y0 && y <= y1 && p[k + 2]! < 1) found.push(k / 3);
    }
    if (through) return found;
    const seen = this.sight(id);
    return found.filter(seen);
  }

  /** All points inside a line that is drawn around them and shut. */
  inside(id: string, line: [number, number][], through: boolean): number[] {
    const p = this.held(id);
    const found: number[] = [];
    const within = (x: number, y: number) => {
      let odd = false;
      for (let k = 0, j = line.length - 1; k < line.length; j = k++) {
        const [[a, b], [c, d]] = [line[k]!, line[j]!];
        if (b > y !== d > y && x < ((c - a) * (y - b)) / (d - b) + a) odd = !odd;
      }
      return odd;
    };
    for (let k = 0; p && k < p.length; k += 3) if (p[k + 2]! < 1 && within(p[k]!, p[k + 1]!)) found.push(k / 3);
    if (through) return found;
    const seen = this.sight(id);
    return found.filter(seen);
  }

  /** The point beside another that lies most in a direction on screen. */
  towards(id: string, from: number, dx: number, dy: number): number | null {
    const p = this.projected(id);
    const layer = this.stage.layers.get(id);
    if (!p || !layer) return null;
    const t = layer.shape.triangles;
    let [best, score] = [null as number | null, 0.3];
    for (let k = 0; k < t.length; k += 3) {
      const tri = [t[k]!, t[k + 1]!, t[k + 2]!];
      if (!tri.includes(from)) continue;
      for (const q of tri) {
        const [x, y] = [p[3 * q]! - p[3 * from]!, p[3 * q + 1]! - p[3 * from + 1]!];
        const s = (x * dx + y * dy) / (Math.hypot(x, y) || 1);
        if (q !== from && s > score) [best, score] = [q, s];
      }
    }
    return best;
  }
}
