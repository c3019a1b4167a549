/** A brush on a body: strokes go to the server dab by dab, and what they change comes back as they are made. No React. */
import * as T from 'three';
import type { Said, Told } from '../api/http';
import { say } from '../state/here';
import { doWhole } from '../state/maps';
import { edit } from '../state/project';
import { now, openId } from '../state/queries';
import { useView } from '../state/view';
import { clock } from '../stream/clock';
import { ClothLayer } from './cloth-layer';
import { Strokes } from './strokes';
import type { Stage } from './stage';

type On = { body: string; map: string; layer: number };
type Dab = { at: { triangle: number; shares: [number, number, number] }; eye: number[]; pressure: number };

/** Of a brush's radius on screen, how far dabs lie apart. */
const APART = 0.3;

export class Painter {
  private strokes = new Strokes<Dab, Told>();
  private last: [number, number] | null = null;
  /** Told when what is on screen has changed by the stroke. */
  onDab: () => void = () => {};

  constructor(private stage: Stage) {}

  private cloth(body: string): ClothLayer | null {
    const drawn = this.stage.layers.get(body)?.drawn;
    return drawn instanceof ClothLayer ? drawn : null;
  }

  /** Where the surface of a body is under a place on the canvas, unless something stands before it. */
  under(body: string, x: number, y: number): T.Intersection | null {
    const cloth = this.cloth(body);
    if (!cloth) return null;
    cloth.ready();
    return this.stage.picker.ray(x, y).intersectObject(cloth.mesh, false)[0] ?? null;
  }

  /** The radius of the brush at a place, in pixels. */
  pixels(at: T.Vector3): number {
    const { camera, canvas } = this.stage;
    const far = camera.getWorldPosition(new T.Vector3()).distanceTo(at);
    return (useView.getState().brush.radius / (2 * far * Math.tan(T.MathUtils.degToRad(camera.fov / 2)))) * (canvas?.clientHeight ?? 1);
  }

  /** How a circle on the surface is seen where a ray met it: which way it is narrow on screen, and by how much. */
  slant(hit: T.Intersection): [number, number] {
    const { camera } = this.stage;
    const n = hit.face?.normal.clone().transformDirection(hit.object.matrixWorld).transformDirection(camera.matrixWorldInverse);
    if (!n) return [0, 1];
    return [Math.atan2(-n.y, n.x), Math.max(0.12, Math.abs(n.z))];
  }

  /** Begins a stroke; false where there is nothing to paint on. */
  begin(on: On, x: number, y: number, pressure: number): boolean {
    const cloth = this.cloth(on.body);
    const hit = cloth && !this.strokes.going ? this.under(on.body, x, y) : null;
    if (!cloth || !hit) return false;
    if (useView.getState().brush.does === 'flood') {
      const at = cloth.touched(hit);
      const { level: value } = useView.getState().brush;
      if (at) this.strokes.after(() => doWhole(on.body, on.map, on.layer, { flood: { at, value } }, 'Poured'));
      return false;
    }
    this.last = null;
    const { does, radius, strength, level, edge, mirror } = useView.getState().brush;
    const brush = { does: does === 'level' ? { level } : (does as 'add'), radius, strength, edge, mirror };
    const shown = cloth.positions.slice();
    const begin: Said = { begin: { brush, frame: clock.frame } };
    const { body, map, layer } = on;
    this.strokes.begin(() => ({
      path: `projects/${openId()}/bodies/${body}/maps/${map}/layers/${layer}/brush`,
      first: [JSON.stringify(begin), shown],
      onBytes: (bytes) => {
        const n = bytes.byteLength / 8;
        cloth.soakAt(new Uint32Array(bytes, 0, n), new Float32Array(bytes, 4 * n, n));
        this.stage.draw();
        this.onDab();
      },
      onEnd: (told) => this.keep(on, told),
    }));
    this.move(on, x, y, pressure);
    return true;
  }

  /** Goes on with the stroke, without gaps between places that are far apart. */
  move(on: On, x: number, y: number, pressure: number) {
    if (!this.strokes.going) return;
    const cloth = this.cloth(on.body);
    const from = this.last ?? [x, y];
    const far = Math.hypot(x - from[0], y - from[1]);
    const hit = this.under(on.body, x, y);
    const step = Math.max(2, hit ? APART * this.pixels(hit.point) : 8);
    if (this.last && far < step) return;
    const n = Math.max(1, Math.min(200, Math.floor(far / step)));
    const eye = this.stage.camera.getWorldPosition(new T.Vector3()).toArray();
    for (let k = this.last ? 1 : n; k <= n; k++) {
      const [u, v] = [from[0] + ((x - from[0]) * k) / n, from[1] + ((y - from[1]) * k) / n];
      const at = this.under(on.body, u, v);
      const touched = at && cloth?.touched(at);
      if (touched) this.strokes.dab({ at: touched, eye, pressure });
    }
    this.last = [x, y];
  }

  /** Ends the stroke and keeps it. */
  end() {
    this.strokes.end();
    this.last = null;
  }

  /** Leaves the stroke as if it had not been; false where there is none. */
  cancel(): boolean {
    this.last = null;
    return this.strokes.cancel();
  }

  /** A stroke has ended: it is made part of the scene. */
  private async keep({ body, map, layer }: On, told: Told | null) {
    const name = now.scene()?.bodies[body]?.maps?.[map]?.name ?? 'Map';
    if (told && 'kept' in told) {
      const path = `/bodies/${body}/maps/${map}/layers/${layer}/weights/painted`;
      if (await edit(`A stroke on ${name}`, [{ op: 'add', path, value: told.kept }])) return;
    } else if (told) {
      say({ title: 'The stroke is not kept', detail: told.fault, tone: 'fault' });
      this.end();
    }
    // What is shown is what is kept.
    this.stage.showMaps();
  }
}
