/** The air: as short streaks about the bodies, as long as it goes in a sixteenth of a second, or as arrows on a slice. The faster, the thicker
 * the thread. */
import * as T from 'three';
import { LineMaterial } from 'three/addons/lines/LineMaterial.js';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import { http, told } from '../api/http';
import { now } from '../state/queries';
import type { AirAs } from '../state/view';
import { clock } from '../stream/clock';

type Vec3 = [number, number, number];

const askAir = (id: number, frame: number, places: Vec3[], field: string | null) =>
  told(http.POST('/api/projects/{id}/air', { params: { path: { id } }, body: { frame, places, ...(field ? { field } : {}) } })) as Promise<{
    velocities: Vec3[];
  }>;

const STREAKS = 110;
/** Seconds of way that half a streak shows. */
const HALF = 0.032;
/** Arrows along the longer side of a slice. */
const ARROWS = 26;
/** Widths of the three weights of thread, and how much is seen of each. */
const WIDTHS = [0.9, 1.5, 2.4];
/** Nearer to a body than this part of what is seen no streak is drawn: the body is. */
const CLEAR = 0.035;
const SEEN = [0.34, 0.46, 0.62];

/** The most that is drawn, for the legend, and in what. */
export type AirShown = { most: number; unit: string } | null;

export class AirLayer {
  readonly group = new T.Group();
  private materials = WIDTHS.map((linewidth, k) => new LineMaterial({ color: '#6b4468', linewidth, transparent: true, opacity: SEEN[k]! }));
  private lines = this.materials.map((m) => new LineSegments2(new LineSegmentsGeometry(), m));
  /** Milliseconds between questions while frames go by. */
  pause = 90;
  private asking = false;
  private wanted: { frame: number; box: T.Box3 } | null = null;
  private shown = '';
  private as: AirAs = { as: 'streaks', across: 1, at: 0.5, alone: false };
  private field: string | null = null;
  private unit = 'm/s';
  /** Some of the points of the bodies on screen. */
  bodies: () => Float32Array = () => new Float32Array();
  /** Asks for a picture. */
  draw: () => void = () => {};
  /** Told what is drawn. */
  onShown: (s: AirShown) => void = () => {};

  constructor() {
    for (const l of this.lines) {
      l.frustumCulled = false;
      l.visible = false;
      this.group.add(l);
    }
  }

  setSize(w: number, h: number) {
    for (const m of this.materials) m.resolution.set(w, h);
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
    for (const m of this.materials) m.color.set(dusk ? '#c79ac3' : '#6b4468');
    this.shown = '';
  }

  /** How it is drawn: of all fields, or of one, with what it is told in. */
  setAs(as: AirAs, field: string | null, unit: string) {
    [this.as, this.field, this.unit] = [as, field, unit];
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
    const key =
      project && w ? `${project.id}/${project.revision}/${w.frame}/${JSON.stringify([this.as, this.field, this.unit])}` : this.shown;
    if (!w || !project || key === this.shown) {
      this.asking = false;
      return;
    }
    try {
      const lines = this.as.as === 'slice' ? await this.slice(project.id, w) : await this.streaks(project.id, w);
      const most = Math.max(0, ...lines.map((l) => l.speed));
      this.lines.forEach((drawn, weight) => {
        const own = lines.filter((l) => Math.min(2, Math.floor((3 * l.speed) / (most || 1))) === weight).flatMap((l) => l.line);
        drawn.visible = own.length > 0;
        drawn.geometry.dispose();
        if (own.length > 0) drawn.geometry = new LineSegmentsGeometry().setPositions(own);
      });
      this.onShown(lines.length > 0 ? { most, unit: this.unit } : null);
      this.shown = key;
      this.draw();
    } catch {
      for (const l of this.lines) l.visible = false;
      this.onShown(null);
    } finally {
      setTimeout(() => {
        this.asking = false;
        if (this.wanted) void this.next();
      }, this.pause);
    }
  }

  private async streaks(id: number, w: { frame: number; box: T.Box3 }) {
    const from = this.clear(this.places(w.frame, w.box), w.box);
    const first = (await askAir(id, w.frame, from, this.field)).velocities;
    const middle = from.map((p, k) => along(p, first[k]!, HALF));
    const second = (await askAir(id, w.frame, middle, this.field)).velocities;
    return middle.flatMap((m, k) => {
      const speed = Math.hypot(...first[k]!);
      if (speed <= 0.05) return [];
      const tip = along(m, second[k]!, HALF);
      return [{ speed, line: [...from[k]!, ...m, ...m, ...tip, ...barbs(m, tip)] }];
    });
  }

  /** The places that are clear of all bodies. */
  private clear(places: Vec3[], box: T.Box3): Vec3[] {
    const p = this.bodies();
    const near = (CLEAR * box.getSize(new T.Vector3()).length()) ** 2;
    return places.filter(([x, y, z]) => {
      for (let k = 0; k + 2 < p.length; k += 3) {
        if ((p[k]! - x) ** 2 + (p[k + 1]! - y) ** 2 + (p[k + 2]! - z) ** 2 < near) return false;
      }
      return true;
    });
  }

  /** Arrows on a slice across an axis, the fastest as long as they lie apart. */
  private async slice(id: number, w: { frame: number; box: T.Box3 }) {
    const { across, at } = this.as;
    const size = w.box.getSize(new T.Vector3()).addScalar(1.4);
    const low = w.box.getCenter(new T.Vector3()).addScaledVector(size, -0.5);
    low.y = Math.max(low.y, 0.02);
    const [u, v] = (
      [
        [1, 2],
        [0, 2],
        [0, 1],
      ] as const
    )[across]!;
    const [s, o] = [size.toArray(), low.toArray()];
    const step = Math.max(s[u]!, s[v]!) / ARROWS;
    const from: Vec3[] = [];
    for (let a = step / 2; a < s[u]!; a += step) {
      for (let b = step / 2; b < s[v]!; b += step) {
        const p: Vec3 = [0, 0, 0];
        p[u] = o[u]! + a;
        p[v] = o[v]! + b;
        p[across] = o[across]! + at * s[across]!;
        from.push(p);
      }
    }
    const { velocities } = await askAir(id, w.frame, from, this.field);
    const most = Math.max(1e-6, ...velocities.map((x) => Math.hypot(...x)));
    return from.flatMap((p, k) => {
      const speed = Math.hypot(...velocities[k]!);
      if (speed < 0.02 * most) return [];
      const long = (0.92 * step) / most;
      const begin = along(p, velocities[k]!, -0.5 * long);
      const tip = along(p, velocities[k]!, 0.5 * long);
      return [{ speed, line: [...begin, ...tip, ...barbs(begin, tip)] }];
    });
  }

  /** Places spread evenly over a box a little larger than the bodies; they travel with time. */
  private places(frame: number, box: T.Box3): Vec3[] {
    const size = box.getSize(new T.Vector3()).addScalar(1.1);
    const low = box.getCenter(new T.Vector3()).addScaledVector(size, -0.5);
    const t = (frame - clock.first) / clock.rate;
    // Fractions by the powers of the plastic number: even in three dimensions (M. Roberts, 2018).
    return Array.from({ length: STREAKS }, (_, k): Vec3 => {
      const f = (a: number, drift: number) => ((((k + 1) * a + drift * t) % 1) + 1) % 1;
      return [low.x + f(0.8191725, 0.5) * size.x, Math.max(0.05, low.y + f(0.6710436, 0.05) * size.y), low.z + f(0.5497005, 0.13) * size.z];
    });
  }
}

const along = (p: Vec3, v: Vec3, s: number): Vec3 => [p[0] + s * v[0], p[1] + s * v[1], p[2] + s * v[2]];

/** Two short lines at the tip of a streak that show which way it goes. */
function barbs(from: Vec3, tip: Vec3): number[] {
  const d = [0, 1, 2].map((k) => tip[k]! - from[k]!) as Vec3;
  const size = Math.hypot(...d) || 1;
  // To one side and the other, level where the streak is not upright.
  const flat = Math.hypot(d[0], d[2]);
  const side: Vec3 = flat > 0.1 * size ? [-d[2] / flat, 0, d[0] / flat] : [1, 0, 0];
  const long = Math.min(0.06, 0.5 * size);
  const at = (s: number) => [0, 1, 2].map((k) => tip[k]! - (d[k]! / size) * long + s * 0.5 * long * side[k]!);
  return [...at(1), ...tip, ...at(-1), ...tip];
}
