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
import type { Stage } from './stage';

type On = { body: string; map: string; layer: number };
type Dab = { at: { triangle: number; shares: [number, number, number] }; eye: number[]; pressure: number };

/** Of a brush's radius on screen, how far dabs lie apart. */
const APART = 0.3;

export class Painter {
  /** Dabs that wait for the stroke before to be kept, and for the server to be ready. */
  private waiting: Dab[] = [];
  private socket: WebSocket | null = null;
  private last: [number, number] | null = null;
  /** The stroke before, until it is part of the scene: the next begins on it. */
  private before: Promise<unknown> = Promise.resolve();
  private ended: (() => void) | null = null;
  /** The stroke under way; given up it is not begun where it waits for the one before. */
  private now = { givenUp: false };
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
    const hit = cloth && !this.ended ? this.under(on.body, x, y) : null;
    if (!cloth || !hit) return false;
    if (useView.getState().brush.does === 'flood') {
      const at = cloth.touched(hit);
      const { level: value } = useView.getState().brush;
      const before = this.before;
      if (at) this.before = before.then(() => doWhole(on.body, on.map, on.layer, { flood: { at, value } }, 'Flooded'));
      return false;
    }
    this.waiting = [];
    this.last = null;
    const { does, radius, strength, level, edge, mirror } = useView.getState().brush;
    const brush = { does: does === 'level' ? { level } : (does as 'add'), radius, strength, edge, mirror };
    const shown = cloth.positions.slice();
    const end = new Promise<void>((done) => (this.ended = done));
    const before = this.before;
    const mine = (this.now = { givenUp: false });
    this.before = (async () => {
      await before;
      if (!mine.givenUp) await this.stroke(on, { begin: { brush, frame: clock.frame } } as Said, shown, end, cloth);
    })();
    this.move(on, x, y, pressure);
    return true;
  }

  /** Goes on with the stroke, without gaps between places that are far apart. */
  move(on: On, x: number, y: number, pressure: number) {
    if (!this.ended) return;
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
      if (touched) this.waiting.push({ at: touched, eye, pressure });
    }
    this.last = [x, y];
    this.flush();
  }

  /** Ends the stroke and keeps it. */
  end() {
    this.ended?.();
    this.ended = null;
    this.last = null;
  }

  /** Leaves the stroke as if it had not been; false where there is none. */
  cancel(): boolean {
    if (!this.ended) return false;
    this.now.givenUp = true;
    this.waiting = [];
    const socket = this.socket;
    this.socket = null;
    socket?.close();
    this.end();
    return true;
  }

  get paints(): boolean {
    return this.ended !== null;
  }

  private flush() {
    if (this.waiting.length === 0 || this.socket?.readyState !== WebSocket.OPEN) return;
    this.socket.send(JSON.stringify({ dabs: this.waiting } as Said));
    this.waiting = [];
  }

  /** One stroke from its first dab until it is part of the scene. */
  private async stroke(on: On, begin: Said, shown: Float32Array, end: Promise<void>, cloth: ClothLayer) {
    const { body, map, layer } = on;
    const socket = new WebSocket(`ws://${location.host}/api/projects/${openId()}/bodies/${body}/maps/${map}/layers/${layer}/brush`);
    socket.binaryType = 'arraybuffer';
    this.socket = socket;
    const told = await new Promise<Told | null>((done) => {
      socket.onopen = () => {
        socket.send(JSON.stringify(begin));
        socket.send(shown);
        this.flush();
        void end.then(() => {
          if (socket.readyState !== WebSocket.OPEN) return;
          if (this.socket === socket) this.flush();
          socket.send(JSON.stringify('done' satisfies Said));
        });
      };
      socket.onmessage = (m: MessageEvent) => {
        if (typeof m.data === 'string') return done(JSON.parse(m.data) as Told);
        const n = (m.data as ArrayBuffer).byteLength / 8;
        cloth.soakAt(new Uint32Array(m.data, 0, n), new Float32Array(m.data, 4 * n, n));
        this.stage.draw();
        this.onDab();
      };
      socket.onclose = () => done(null);
    });
    if (this.socket === socket) this.socket = null;
    socket.close();
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
