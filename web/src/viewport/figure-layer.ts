/** Animated meshes at the frame: their points come from the core, some frames at a time. */
import * as T from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Figure, Scene } from '../api/http';
import { fetchFigure, fetchFigureFrames } from '../state/queries';
import { writeFrame, type Chunk } from '../stream/chunks';
import type { Places } from './places';

const BODY = '#8d7558';
const RUST = '#a5583a';
/** Frames that are fetched at once. */
const RUN = 48;

type Drawn = {
  mesh: T.Mesh<T.BufferGeometry, T.MeshStandardMaterial>;
  figure: Figure;
  /** What its points follow from. */
  key: string;
  /** As they were told, three points each. */
  triangles: number[];
  runs: Map<number, Chunk | 'coming'>;
  shown: number;
};

export class FigureLayer {
  readonly group = new T.Group();
  private drawn = new Map<string, Drawn>();
  private project = 0;
  private first = 0;
  private frame = 0;
  /** Asks for a picture, with new shadows. */
  ask: () => void = () => {};

  constructor(private places: Places) {}

  clear() {
    this.group.clear();
    this.drawn.clear();
  }

  set(project: number, figures: Record<string, Figure>, frames: Scene['frames']) {
    this.project = project;
    this.first = frames.first;
    const keyOf = (f: Figure) => JSON.stringify([f.from, f.points, f.size, f.clip, f.begins, f.speed, f.then, frames]);
    for (const [id, d] of this.drawn) {
      if (figures[id] && keyOf(figures[id]) === d.key) continue;
      this.group.remove(d.mesh);
      d.mesh.geometry.dispose();
      this.drawn.delete(id);
    }
    for (const [id, figure] of Object.entries(figures)) {
      const known = this.drawn.get(id);
      if (known) {
        known.figure = figure;
        continue;
      }
      const material = new T.MeshStandardMaterial({ color: BODY, roughness: 0.95, side: T.DoubleSide });
      const d: Drawn = {
        mesh: new T.Mesh(new T.BufferGeometry(), material),
        figure,
        key: keyOf(figure),
        triangles: [],
        runs: new Map(),
        shown: NaN,
      };
      d.mesh.castShadow = d.mesh.receiveShadow = true;
      d.mesh.frustumCulled = false;
      d.mesh.visible = false;
      d.mesh.userData = { kind: 'figures', id };
      this.drawn.set(id, d);
      this.group.add(d.mesh);
      void fetchFigure(project, id, figure).then(
        (look) => {
          d.mesh.geometry.setAttribute('position', new T.BufferAttribute(new Float32Array(3 * look.points), 3));
          d.triangles = look.triangles;
          d.mesh.geometry.setIndex(look.triangles);
          this.go(this.frame);
        },
        () => {},
      );
    }
    this.go(this.frame);
    this.ask();
  }

  hide(hidden: string[]) {
    for (const [id, d] of this.drawn) d.mesh.userData['hidden'] = hidden.includes(id);
    this.go(this.frame);
  }

  choose(id: string | null) {
    for (const [k, d] of this.drawn) d.mesh.material.emissive.set(k === id ? RUST : '#000000').multiplyScalar(0.2);
    this.ask();
  }

  /** Puts all as they are at a frame. */
  go(frame: number) {
    this.frame = frame;
    for (const [id, d] of this.drawn) {
      this.places.put(d.mesh, `figures/${id}`, d.figure.place, frame);
      if (d.mesh.geometry.getAttribute('position')) this.bend(id, d, frame);
      d.mesh.visible = !Number.isNaN(d.shown) && d.mesh.userData['hidden'] !== true;
    }
  }

  private bend(id: string, d: Drawn, frame: number) {
    if (d.shown === frame) return;
    const run = Math.floor((frame - this.first) / RUN);
    const from = this.first + run * RUN;
    const chunk = this.run(id, d, run);
    void this.run(id, d, run + 1);
    if (!chunk) return;
    const position = d.mesh.geometry.getAttribute('position') as T.BufferAttribute;
    // A clip of many points comes in fewer frames than were asked for: the last of them stands for the rest.
    if (!writeFrame(chunk, Math.min(frame - from, chunk.frames - 1), position.array as Float32Array)) return;
    position.needsUpdate = true;
    d.mesh.geometry.computeVertexNormals();
    d.mesh.geometry.boundingSphere = null;
    d.mesh.geometry.boundsTree = undefined as never;
    d.shown = frame;
  }

  /** The frames of a run, where they are here; asks for them where they are not. */
  private run(id: string, d: Drawn, run: number): Chunk | undefined {
    const known = d.runs.get(run);
    if (known) return known === 'coming' ? undefined : known;
    d.runs.set(run, 'coming');
    const first = this.first + run * RUN;
    void fetchFigureFrames(this.project, id, first, first + RUN - 1).then(
      (chunk) => {
        d.runs.set(run, chunk);
        this.go(this.frame);
        this.ask();
      },
      () => void d.runs.delete(run),
    );
    return undefined;
  }

  /** The meshes that can be seen, ready for rays. */
  meshes(): T.Mesh[] {
    const all = [...this.drawn.values()].filter((d) => d.mesh.visible).map((d) => d.mesh);
    for (const m of all) if (!m.geometry.boundsTree) m.geometry.boundsTree = new MeshBVH(m.geometry);
    return all;
  }

  bounds(): T.Box3 {
    const box = new T.Box3();
    for (const d of this.drawn.values()) if (d.mesh.visible) box.expandByObject(d.mesh, true);
    return box;
  }

  /** The number of a triangle by its corners. */
  triangle(id: string, a: number, b: number, c: number): number | null {
    const t = this.drawn.get(id)?.triangles ?? [];
    for (let k = 0; k < t.length; k += 3) if (t[k] === a && t[k + 1] === b && t[k + 2] === c) return k / 3;
    return null;
  }

  /** Whether there is any: they move with the frame. */
  get any(): boolean {
    return this.drawn.size > 0;
  }
}
