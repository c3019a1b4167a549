/** Handles at the frame: wooden buttons with a thread through them, always as large on the screen. */
import * as T from 'three';
import type { Handle } from '../api/http';
import type { Places } from './places';

const [WOOD, WOAD, THREAD] = ['#a9875a', '#2e5f82', '#f4f0e6'];
/** Of a button, as a share of its distance. */
const SIZE = 0.0085;

type Drawn = { group: T.Group; button: T.Mesh<T.BufferGeometry, T.MeshBasicMaterial>; handle: Handle };

/** A disc with four holes and a rim. */
function outline(): T.Shape {
  const disc = new T.Shape().absarc(0, 0, 1, 0, 2 * Math.PI);
  for (const [x, y] of [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ] as const) {
    disc.holes.push(new T.Path().absarc(0.32 * x, 0.32 * y, 0.16, 0, 2 * Math.PI, true));
  }
  return disc;
}

export class HandleLayer {
  readonly group = new T.Group();
  private drawn = new Map<string, Drawn>();
  private frame = 0;
  private disc = new T.ShapeGeometry(outline(), 20);
  private rim = new T.RingGeometry(0.98, 1.14, 32);
  /** One whose arms are held: it is where they are. */
  held: string | null = null;
  ask: () => void = () => {};

  constructor(private places: Places) {}

  clear() {
    this.group.clear();
    this.drawn.clear();
  }

  set(handles: Record<string, Handle>) {
    for (const [id, d] of this.drawn) {
      if (handles[id]) continue;
      this.group.remove(d.group);
      this.drawn.delete(id);
    }
    for (const [id, handle] of Object.entries(handles)) {
      const known = this.drawn.get(id);
      if (known) {
        known.handle = handle;
        continue;
      }
      const flat = { side: T.DoubleSide, depthTest: false, transparent: true };
      const button = new T.Mesh(this.disc, new T.MeshBasicMaterial({ ...flat, color: WOOD }));
      const rim = new T.Mesh(this.rim, new T.MeshBasicMaterial({ ...flat, color: THREAD }));
      const group = new T.Group();
      group.add(button, rim);
      button.renderOrder = 20;
      rim.renderOrder = 21;
      button.userData = { kind: 'handles', id };
      button.onBeforeRender = (_r, _s, camera) => this.face(group, camera);
      this.drawn.set(id, { group, button, handle });
      this.group.add(group);
    }
    this.go(this.frame);
  }

  /** Turned to who looks, and as large as it stands far away. */
  private face(group: T.Group, camera: T.Camera) {
    const far = camera.position.distanceTo(group.position);
    for (const c of group.children) {
      c.quaternion.copy(group.quaternion).invert().multiply(camera.quaternion);
      c.scale.setScalar(far * SIZE);
      c.updateMatrixWorld();
    }
  }

  choose(id: string | null) {
    for (const [k, d] of this.drawn) d.button.material.color.set(k === id ? WOAD : WOOD);
    this.ask();
  }

  go(frame: number) {
    this.frame = frame;
    for (const [id, d] of this.drawn) if (this.held !== id) this.places.put(d.group, `handles/${id}`, d.handle.place, frame);
  }

  objectOf(id: string): { object: T.Object3D; handle: Handle } | undefined {
    const d = this.drawn.get(id);
    return d && { object: d.group, handle: d.handle };
  }

  /** The one whose button is at a place of the screen, where `project` gives that of a place in the world. */
  at(x: number, y: number, project: (p: T.Vector3) => [number, number]): string | null {
    let best: [number, string] | null = null;
    for (const [id, d] of this.drawn) {
      const [u, v] = project(d.group.position);
      const far = Math.hypot(u - x, v - y);
      if (far < 13 && (!best || far < best[0])) best = [far, id];
    }
    return best?.[1] ?? null;
  }

  get any(): boolean {
    return this.drawn.size > 0;
  }
}
