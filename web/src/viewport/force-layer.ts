/** What acts on a point, as arrows from where it is: all to one scale, each in the dye that it has in the list, named at its tip. */
import * as T from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import type { Label } from './labels';

/** One that acts: m/s², and its colour as CSS knows it. */
export type Force = { name: string; by: readonly number[]; colour: string };

/** Of the size of what is in view the longest arrow is so much. */
const LONG = 0.24;
/** What is less than this part of the largest is not drawn. */
const LEAST = 0.03;

export class ForceLayer {
  readonly group = new T.Group();
  private materials: LineMaterial[] = [];
  private size: [number, number] = [1, 1];

  constructor() {
    this.group.renderOrder = 24;
  }

  setSize(w: number, h: number) {
    this.size = [w, h];
    for (const m of this.materials) m.resolution.set(w, h);
  }

  /** Draws them at a place, the largest so long as fits the view; none where there are none. Tells what is to be written at their tips. */
  set(at: readonly number[] | null, forces: Force[], view: number): Label[] {
    for (const c of this.group.children) (c as LineSegments2).geometry.dispose();
    for (const m of this.materials) m.dispose();
    this.materials = [];
    this.group.clear();
    const size = (v: readonly number[]) => Math.hypot(v[0]!, v[1]!, v[2]!);
    const most = Math.max(0, ...forces.map((f) => size(f.by)));
    if (!at || most < 1e-6) return [];
    const scale = (LONG * view) / most;
    const from = new T.Vector3(...(at as [number, number, number]));
    return forces
      .filter((f) => size(f.by) >= LEAST * most)
      .map((f) => {
        const way = new T.Vector3(...(f.by as [number, number, number])).multiplyScalar(scale);
        const tip = from.clone().add(way);
        const barb = Math.min(0.3 * way.length(), 0.022 * view);
        const back = way.clone().normalize().multiplyScalar(-barb);
        const side = new T.Vector3().crossVectors(back, new T.Vector3(0.31, 0.17, 0.93)).setLength(0.45 * barb);
        const points = [from, tip, tip, tip.clone().add(back).add(side), tip, tip.clone().add(back).sub(side)];
        const material = new LineMaterial({ color: new T.Color(f.colour), linewidth: 3, depthTest: false, transparent: true });
        material.resolution.set(...this.size);
        const line = new LineSegments2(new LineSegmentsGeometry().setPositions(points.flatMap((p) => p.toArray())), material);
        line.frustumCulled = false;
        line.renderOrder = 24;
        this.materials.push(material);
        this.group.add(line);
        return { text: `${f.name} ${size(f.by).toFixed(1)}`, at: tip.toArray() };
      });
  }
}
