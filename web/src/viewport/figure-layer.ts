/** Animated meshes at the frame: their points come from the core, some frames at a time. */
import * as T from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Figure, Scene } from '../api/http';
import { fetchFigure, fetchFigureFrames } from '../state/queries';
import { nodeMoves } from '../state/value';
import { writeFrame, type Chunk } from '../stream/chunks';
import type { Places } from './places';
import { grained, placed, surfaced, type Surface } from './surfaces';

const RUST = '#a5583a';
/** Frames that are fetched at once. */
const RUN = 48;

type Drawn = {
  mesh: T.Mesh<T.BufferGeometry, T.MeshLambertMaterial>;
  dress: (to: Surface | null | undefined) => void;
  /** Whether its points stay where they are on it. */
  still: boolean;
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
        this.dress(known);
        continue;
      }
      const material = new T.MeshLambertMaterial({ side: T.DoubleSide });
      const d: Drawn = {
        mesh: new T.Mesh(new T.BufferGeometry(), material),
        dress: surfaced(material),
        still: false,
        figure,
        key: keyOf(figure),
        triangles: [],
        runs: new Map(),
        shown: NaN,
      };
      this.dress(d);
      d.mesh.frustumCulled = false;
      d.mesh.visible = false;
      d.mesh.userData = { kind: 'figures', id };
      this.drawn.set(id, d);
      this.group.add(d.mesh);
      void fetchFigure(project, id, figure).then(
        (look) => {
          d.mesh.geometry.setAttribute('position', new T.BufferAttribute(new Float32Array(3 * look.points), 3));
          d.triangles = look.triangles;
          d.still = look.length === 0 && look.shapes < 2 && !figure.points;
          d.mesh.geometry.setIndex(look.triangles);
          this.go(this.frame);
        },
        () => {},
      );
    }
    this.go(this.frame);
    this.ask();
  }

  private dress(d: Drawn) {
    d.dress(d.figure.surface);
    d.mesh.receiveShadow = true;
    // What is as large as a hill only takes shadows.
    d.mesh.castShadow = d.figure.surface !== 'turf';
    d.mesh.userData['scenery'] = d.figure.scenery === true;
  }

  /** Hides some of them, and all scenery where that is not wanted. */
  hide(hidden: string[], scenery: boolean) {
    for (const [id, d] of this.drawn) d.mesh.userData['hidden'] = hidden.includes(id) || (!scenery && d.figure.scenery === true);
    this.go(this.frame);
  }

  /** Whether scenery is to be seen. */
  get about(): boolean {
    return [...this.drawn.values()].some((d) => d.figure.scenery === true && d.mesh.userData['hidden'] !== true);
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
    if (d.shown === frame || (d.still && !Number.isNaN(d.shown))) return;
    const run = d.still ? 0 : Math.floor((frame - this.first) / RUN);
    const from = this.first + run * RUN;
    const chunk = this.run(id, d, run);
    if (!d.still) void this.run(id, d, run + 1);
    if (!chunk) return;
    const position = d.mesh.geometry.getAttribute('position') as T.BufferAttribute;
    // A clip of many points comes in fewer frames than were asked for: the last of them stands for the rest.
    if (!writeFrame(chunk, Math.min(frame - from, chunk.frames - 1), position.array as Float32Array)) return;
    position.needsUpdate = true;
    d.mesh.geometry.computeVertexNormals();
    // As it was first seen: what it is made of goes along with it.
    if (!d.mesh.geometry.getAttribute('grain')) (d.figure.surface === 'turf' ? placed : grained)(d.mesh.geometry);
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
    void fetchFigureFrames(this.project, id, first, d.still ? first : first + RUN - 1).then(
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
    for (const d of this.drawn.values()) if (d.mesh.visible && d.figure.scenery !== true) box.expandByObject(d.mesh, true);
    return box;
  }

  /** The number of a triangle by its corners. */
  triangle(id: string, a: number, b: number, c: number): number | null {
    const t = this.drawn.get(id)?.triangles ?? [];
    for (let k = 0; k < t.length; k += 3) if (t[k] === a && t[k + 1] === b && t[k + 2] === c) return k / 3;
    return null;
  }

  /** Whether any of them moves with the frame. */
  get any(): boolean {
    return [...this.drawn.values()].some((d) => !d.still || nodeMoves(d.figure.place));
  }
}
