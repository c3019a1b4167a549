/** A comb on strands: strokes go to the server dab by dab, and where the strands are then comes back as they are made. No React. */
import * as T from 'three';
import type { CombDab, CombSaid, CombTold } from '../api/http';
import { say } from '../state/here';
import { edit } from '../state/project';
import { now, openId } from '../state/queries';
import { useView } from '../state/view';
import { clock } from '../stream/clock';
import type { Stage } from './stage';
import { StrandLayer } from './strand-layer';
import { Strokes } from './strokes';

/** Pixels between dabs, at least; of the comb's radius how far they lie apart, and how many one move is at most. */
const APART = 3;
const STEP = 0.35;
const MOST = 24;
/** Pixels from the pointer within which a strand is met. */
const NEAR = 18;

export class Comber {
  private strokes = new Strokes<CombDab, CombTold>();
  private last: [number, number] | null = null;
  /** Where the stroke under way was last. */
  private met: T.Vector3 | null = null;

  constructor(private stage: Stage) {}

  private strands(body: string): StrandLayer | null {
    const drawn = this.stage.layers.get(body)?.drawn;
    return drawn instanceof StrandLayer ? drawn : null;
  }

  /** Where a stroke would be under a place on the canvas: on the nearest strand there, else on what they grow on. */
  under(body: string, x: number, y: number): T.Vector3 | null {
    const at = this.stage.picker.projected(body);
    if (!at) return null;
    let [best, deep] = [-1, Infinity];
    for (let k = 0; k < at.length; k += 3) {
      if (Math.abs(at[k]! - x) > NEAR || Math.abs(at[k + 1]! - y) > NEAR) continue;
      if (at[k + 2]! < deep && at[k + 2]! > -1 && Math.hypot(at[k]! - x, at[k + 1]! - y) < NEAR) [best, deep] = [k / 3, at[k + 2]!];
    }
    if (best >= 0) return this.level(x, y, this.stage.pointOf(body, best)!);
    // To meet a figure's skin takes far longer: not while a stroke is under way.
    if (this.met) return this.level(x, y, this.met);
    const meshes = [...this.stage.colliders.meshes(), ...this.stage.figures.meshes()];
    return this.stage.picker.ray(x, y).intersectObjects(meshes, false)[0]?.point ?? null;
  }

  /** The place on the canvas as far away as another. */
  private level(x: number, y: number, like: T.Vector3): T.Vector3 {
    const facing = new T.Plane().setFromNormalAndCoplanarPoint(this.stage.camera.getWorldDirection(new T.Vector3()), like);
    return this.stage.picker.ray(x, y).ray.intersectPlane(facing, new T.Vector3()) ?? like.clone();
  }

  /** Begins a stroke; false where there is nothing to comb. */
  begin(body: string, x: number, y: number, pressure: number): boolean {
    const drawn = this.strands(body);
    if (!drawn || this.strokes.going) return false;
    if (clock.frame !== clock.first) {
      // They are combed as they are at first.
      clock.halt(clock.first);
      return false;
    }
    if (!this.under(body, x, y)) return false;
    const { brush, combs, spares } = useView.getState();
    const comb = { does: combs, radius: brush.radius, strength: brush.strength, edge: brush.edge };
    this.last = null;
    this.strokes.begin(() => {
      const own = spares && now.scene()?.bodies[body]?.maps?.[spares] ? spares : null;
      const begin: CombSaid = { begin: { comb, spares: own } };
      return {
        path: `projects/${openId()}/bodies/${body}/comb`,
        first: [JSON.stringify(begin)],
        onBytes: (bytes) => this.show(body, bytes),
        onEnd: (told) => this.keep(body, told),
      };
    });
    this.move(body, x, y, pressure);
    return true;
  }

  /** Goes on with the stroke, without gaps between places that are far apart. */
  move(body: string, x: number, y: number, pressure: number) {
    if (!this.strokes.going) return;
    let [u, v] = this.last ?? [x, y];
    const far = Math.hypot(x - u, y - v);
    if (this.last && far < APART) return;
    const end = this.under(body, x, y);
    const step = Math.max(APART, end ? STEP * this.stage.painter.pixels(end) : 8);
    const n = Math.max(1, Math.min(MOST, Math.round(far / step)));
    const [du, dv] = [(x - u) / n, (y - v) / n];
    const three = (p: T.Vector3) => p.toArray() as [number, number, number];
    const eye = three(this.stage.camera.getWorldPosition(new T.Vector3()));
    for (let k = 0; k < n; k++) {
      const at = this.under(body, u + du, v + dv);
      if (at) {
        this.met = at;
        this.strokes.dab({ at: three(at), by: three(at.clone().sub(this.level(u, v, at))), eye, pressure });
      }
      [u, v] = [u + du, v + dv];
    }
    this.last = [x, y];
  }

  /** Ends the stroke and keeps it. */
  end() {
    this.strokes.end();
    this.last = this.met = null;
  }

  /** Leaves the stroke as if it had not been; false where there is none. */
  cancel(): boolean {
    this.last = this.met = null;
    return this.strokes.cancel();
  }

  private show(body: string, bytes: ArrayBuffer) {
    // The shape may be another by now: of a stroke before.
    const drawn = this.strands(body);
    const points = drawn?.shape.strands[0] ?? 0;
    const count = new DataView(bytes).getUint32(0, true);
    const which = new Uint32Array(bytes, 4, count);
    const places = new Float32Array(bytes, 4 + 4 * count);
    if (!drawn || places.length !== 3 * count * points) return;
    which.forEach((strand, k) => drawn.positions.set(places.subarray(3 * points * k, 3 * points * (k + 1)), 3 * points * strand));
    drawn.changed('true');
    this.stage.draw();
  }

  /** A stroke has ended: it is made part of the scene. */
  private async keep(body: string, told: CombTold | null) {
    const of = now.scene()?.bodies[body];
    if (told && 'kept' in told && of && 'strands' in of.kind) {
      // A stroke that met nothing is none.
      const same = JSON.stringify(told.kept) === JSON.stringify(of.kind.strands.combed ?? []);
      const path = `/bodies/${body}/kind/strands/combed`;
      if (same || (await edit(`${of.name} combed`, [{ op: 'add', path, value: told.kept }]))) return;
    } else if (told && 'fault' in told) {
      say({ title: 'The stroke is not kept', detail: told.fault, tone: 'fault' });
      this.end();
    }
    // What is shown is what is kept.
    this.strands(body)?.rest();
    this.stage.again(body);
  }
}
