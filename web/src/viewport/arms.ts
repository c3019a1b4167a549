/** Arms on the chosen thing, to move and turn it by. */
import * as T from 'three';
import { TransformControls } from 'three/addons/controls/TransformControls.js';
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Arms as Mode } from '../state/view';
import { dress } from './beads';

/** What the arms are on: an object that they move, and what is told when they let go. */
export type Grabbed = {
  object: T.Object3D;
  onMove: () => void;
  /** `turned` where it was turned and not moved. */
  onDone: (position: number[], turn: number[], turned: boolean) => void;
  onHold: (held: boolean) => void;
};

/** Metres and radians that snapped arms go by. */
const STEP = 0.1;
const ANGLE = Math.PI / 12;

export class Arms {
  private controls?: TransformControls;
  private on: Grabbed | null = null;
  /** Where it was when it was taken: Escape puts it back. */
  private before = { position: new T.Vector3(), rotation: new T.Euler() };
  ask: () => void = () => {};

  mount(camera: T.Camera, canvas: HTMLCanvasElement, orbit: OrbitControls, scene: T.Scene): () => void {
    const c = new TransformControls(camera, canvas);
    c.setSize(0.7);
    c.setColors('#b98a1d', '#6b4468', '#2e5f82', '#b2452f');
    let given = false;
    c.addEventListener('change', () => this.ask());
    c.addEventListener('objectChange', () => this.on?.onMove());
    c.addEventListener('dragging-changed', (e) => {
      orbit.enabled = !e.value;
      const on = this.on;
      if (!on) return;
      on.onHold(Boolean(e.value));
      if (e.value) {
        given = false;
        this.before = { position: on.object.position.clone(), rotation: on.object.rotation.clone() };
        return;
      }
      if (given) return;
      const r = on.object.rotation;
      on.onDone(on.object.position.toArray().map(tidy), [r.x, r.y, r.z].map(tidy), c.mode === 'rotate');
    });
    const escape = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || !c.dragging || !this.on) return;
      e.stopPropagation();
      given = true;
      this.on.object.position.copy(this.before.position);
      this.on.object.rotation.copy(this.before.rotation);
      this.on.onMove();
      c.pointerUp({ button: 0 } as never);
      this.ask();
    };
    addEventListener('keydown', escape, true);
    dress(c.getHelper());
    scene.add(c.getHelper());
    this.controls = c;
    return () => {
      removeEventListener('keydown', escape, true);
      c.detach();
      c.dispose();
      this.controls = undefined as never;
    };
  }

  get isHeld(): boolean {
    return this.controls?.dragging ?? false;
  }
  /** Whether the pointer is over one of the arms. */
  get isNear(): boolean {
    return Boolean(this.controls?.object && this.controls.axis);
  }

  put(on: Grabbed | null, mode: Mode, snap: boolean) {
    const c = this.controls;
    if (!c || c.dragging) return;
    this.on = on;
    if (!on || mode === 'none') {
      c.detach();
    } else {
      c.setMode(mode);
      c.setTranslationSnap(snap ? STEP : null);
      c.setRotationSnap(snap ? ANGLE : null);
      if (c.object !== on.object) c.attach(on.object);
    }
    this.ask();
  }
}

const tidy = (v: number) => Number(v.toFixed(5));
