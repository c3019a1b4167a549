/** Beads at which numbers of fields and zones are taken by hand: radii, lengths, edges. */
import * as T from 'three';
import type { Outlined } from '../api/http';

type Bead = Outlined['beads'][number];
type Drawn = { bead: Bead; ball: T.Mesh<T.SphereGeometry, T.MeshBasicMaterial> };

const [PLUM, LINEN] = ['#6b4468', '#f4f0e6'];
/** Of a bead, as a share of its distance. */
const SIZE = 0.0052;

export class BeadLayer {
  readonly group = new T.Group();
  private geometry = new T.SphereGeometry(1, 14, 10);
  private drawn: Drawn[] = [];
  /** The one that is held, with the number it had and where it was taken on the canvas. */
  private held: { drawn: Drawn; was: number; x: number; y: number; to: number } | null = null;

  set(all: Outlined[], chosen: string[]) {
    if (this.held) return;
    this.clear();
    for (const bead of all.filter((o) => chosen.some((c) => o.path === c || o.path.startsWith(`${c}/`))).flatMap((o) => o.beads)) {
      const ball = new T.Mesh(this.geometry, new T.MeshBasicMaterial({ color: LINEN, depthTest: false, transparent: true }));
      const rim = new T.Mesh(
        this.geometry,
        new T.MeshBasicMaterial({ color: PLUM, depthTest: false, transparent: true, side: T.BackSide }),
      );
      rim.scale.setScalar(1.4);
      rim.renderOrder = 18;
      ball.renderOrder = 19;
      ball.add(rim);
      ball.position.fromArray(bead.at);
      ball.onBeforeRender = (_r, _s, camera) => {
        ball.scale.setScalar(camera.position.distanceTo(ball.position) * SIZE);
        ball.updateMatrixWorld();
      };
      this.drawn.push({ bead, ball });
      this.group.add(ball);
    }
  }

  clear() {
    for (const { ball } of this.drawn) ball.material.dispose();
    this.group.clear();
    this.drawn = [];
  }

  get isHeld(): boolean {
    return this.held !== null;
  }

  /** The path of the number whose bead is at a place of the canvas. */
  at(x: number, y: number, project: (p: T.Vector3) => [number, number]): string | null {
    let best: [number, string] | null = null;
    for (const { bead, ball } of this.drawn) {
      const [u, v] = project(ball.position);
      const far = Math.hypot(u - x, v - y);
      if (far < 11 && (!best || far < best[0])) best = [far, bead.number];
    }
    return best?.[1] ?? null;
  }

  take(number: string, was: number, x: number, y: number) {
    const drawn = this.drawn.find((d) => d.bead.number === number);
    if (drawn) this.held = { drawn, was, x, y, to: was };
  }

  /** Goes along its way as far as the pointer has on the canvas. */
  drag(x: number, y: number, project: (p: T.Vector3) => [number, number]): number | null {
    const h = this.held;
    if (!h) return null;
    const { at, along } = h.drawn.bead;
    const from = new T.Vector3().fromArray(at);
    const way = new T.Vector3().fromArray(along);
    const [a, b] = [project(from), project(from.clone().addScaledVector(way, 0.1 / Math.max(way.length(), 1e-6)))];
    const [u, v] = [(b[0] - a[0]) * 10 * way.length(), (b[1] - a[1]) * 10 * way.length()];
    const long = u * u + v * v;
    // Seen from its end a way has no length on the canvas.
    if (long < 25) return h.to;
    h.to = h.was + ((x - h.x) * u + (y - h.y) * v) / long;
    h.drawn.ball.position.copy(from).addScaledVector(way, h.to - h.was);
    return h.to;
  }

  /** Lets it go: what the number is to be, and its path; none where it was put back or not moved. */
  drop(back: boolean): { number: string; to: number } | null {
    const h = this.held;
    this.held = null;
    if (!h) return null;
    if (back) h.drawn.ball.position.fromArray(h.drawn.bead.at);
    return back || Math.abs(h.to - h.was) < 1e-6 ? null : { number: h.drawn.bead.number, to: h.to };
  }
}
