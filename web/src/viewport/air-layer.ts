/** The air, as short streaks where it is: as long as it goes in a sixteenth of a second. */
import * as T from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import { http, told } from '../api/http';
import { now } from '../state/queries';
import { clock } from '../stream/clock';

type Vec3 = [number, number, number];

const askAir = (id: number, frame: number, places: Vec3[]) =>
  told(http.POST('/api/projects/{id}/air', { params: { path: { id } }, body: { frame, places } })) as Promise<{ velocities: Vec3[] }>;

const STREAKS = 110;
/** Seconds of way that half a streak shows. */
const HALF = 0.032;

export class AirLayer {
  readonly group = new T.Group();
  private material = new LineMaterial({ color: '#6b4468', linewidth: 1.7, transparent: true, opacity: 0.42 });
  private lines = new LineSegments2(new LineSegmentsGeometry(), this.material);
  /** Milliseconds between questions while frames go by. */
  pause = 90;
  private asking = false;
  private wanted: { frame: number; box: T.Box3 } | null = null;
  private shown = '';
  /** Asks for a picture. */
  draw: () => void = () => {};

  constructor() {
    this.lines.frustumCulled = false;
    this.lines.visible = false;
    this.group.add(this.lines);
  }

  setSize(w: number, h: number) {
    this.material.resolution.set(w, h);
  }

  /** Whether it is wanted at all. */
  private on = true;

  /** Shows it again where it was left out while things moved. */
  show() {
    this.group.visible = this.on;
  }

  setLook(on: boolean, dusk: boolean) {
    this.on = on;
    this.group.visible = on;
    this.material.color.set(dusk ? '#c79ac3' : '#6b4468');
    this.shown = '';
  }

  /** Wants the air of a frame around the bodies; asks the core, one question at a time. */
  ask(frame: number, box: T.Box3) {
    if (!this.on) return;
    this.wanted = { frame, box };
    if (this.asking) return;
    this.asking = true;
    // Where drawing is slow the frame comes first, its air when frames rest.
    setTimeout(() => void this.next(), this.pause > 200 ? this.pause : 0);
  }

  private async next() {
    const project = now.project();
    const w = this.wanted;
    this.wanted = null;
    const key = project && w ? `${project.id}/${project.revision}/${w.frame}` : this.shown;
    if (!w || !project || key === this.shown) {
      this.asking = false;
      return;
    }
    try {
      const from = this.places(w.frame, w.box);
      const first = (await askAir(project.id, w.frame, from)).velocities;
      const middle = from.map((p, k) => along(p, first[k]!));
      const second = (await askAir(project.id, w.frame, middle)).velocities;
      const line: number[] = [];
      middle.forEach((m, k) => {
        if (Math.hypot(...first[k]!) <= 0.05) return;
        const tip = along(m, second[k]!);
        line.push(...from[k]!, ...m, ...m, ...tip, ...barbs(m, tip));
      });
      this.lines.visible = line.length > 0;
      if (line.length > 0) {
        this.lines.geometry.dispose();
        this.lines.geometry = new LineSegmentsGeometry().setPositions(line);
      }
      this.shown = key;
      this.draw();
    } catch {
      this.lines.visible = false;
    } finally {
      setTimeout(() => {
        this.asking = false;
        if (this.wanted) void this.next();
      }, this.pause);
    }
  }

  /** Places spread evenly over a box a little larger than the bodies; they travel with time. */
  private places(frame: number, box: T.Box3): Vec3[] {
    const size = box.getSize(new T.Vector3()).addScalar(1.1);
    const low = box.getCenter(new T.Vector3()).addScaledVector(size, -0.5);
    const t = (frame - clock.first) / clock.rate;
    // Fractions by the powers of the plastic number: even in three dimensions (M. Roberts, 2018).
    return Array.from({ length: STREAKS }, (_, k): Vec3 => {
      const f = (a: number, drift: number) => (((k + 1) * a + drift * t) % 1 + 1) % 1;
      return [low.x + f(0.8191725, 0.5) * size.x, Math.max(0.05, low.y + f(0.6710436, 0.05) * size.y), low.z + f(0.5497005, 0.13) * size.z];
    });
  }
}

const along = (p: Vec3, v: Vec3): Vec3 => [p[0] + HALF * v[0], p[1] + HALF * v[1], p[2] + HALF * v[2]];

/** Two short lines at the tip of a streak that show which way it goes. */
function barbs(from: Vec3, tip: Vec3): number[] {
  const d = [0, 1, 2].map((k) => tip[k]! - from[k]!) as Vec3;
  const size = Math.hypot(...d);
  // To one side and the other, level where the streak is not upright.
  const flat = Math.hypot(d[0], d[2]);
  const side: Vec3 = flat > 0.1 * size ? [-d[2] / flat, 0, d[0] / flat] : [1, 0, 0];
  const long = Math.min(0.06, 0.5 * size);
  const at = (s: number) => [0, 1, 2].map((k) => tip[k]! - (d[k]! / size) * long + s * 0.5 * long * side[k]!);
  return [...at(1), ...tip, ...at(-1), ...tip];
}
