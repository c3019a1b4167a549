/** What is seen: three.js, fed by reference and drawn only when something changed. No React in here. */
import * as T from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Lane, Stretch } from '../api/http';
import type { Shape } from '../api/shape';
import { chunkAtHand, fetchChunk, writeFrame } from '../stream/chunks';
import { clock } from '../stream/clock';
import { AirLayer } from './air-layer';
import type { Collider } from '../api/http';
import { ClothLayer } from './cloth-layer';
import { ColliderLayer } from './collider-layer';
import { Ground } from './ground';
import { MarkLayer } from './mark-layer';

export type Shown = { state: Stretch['state'] | 'coming'; reasons: string[] };

/** Whether the machine draws without a graphics card: then the picture is simpler, and scrubbing stays quick. */
function drawsInSoftware(): boolean {
  const probe = document.createElement('canvas').getContext('webgl2');
  const told = probe?.getExtension('WEBGL_debug_renderer_info');
  const name = told ? String(probe?.getParameter(told.UNMASKED_RENDERER_WEBGL)) : '';
  probe?.getExtension('WEBGL_lose_context')?.loseContext();
  return /swiftshader|llvmpipe|software|basic render/i.test(name);
}

/** Frames that are fetched ahead of the one on screen. */
const AHEAD = 72;

class Stage {
  readonly scene = new T.Scene();
  readonly camera = new T.PerspectiveCamera(34, 1, 0.02, 400);
  /** Whether there is no graphics card, so that drawing is slow. */
  private plain = false;
  private renderer?: T.WebGLRenderer;
  controls?: OrbitControls;
  private canvas?: HTMLCanvasElement;
  private layers = new Map<string, { cloth: ClothLayer; marks: MarkLayer; shape: Shape; shown: string }>();
  private lanes: Lane[] = [];
  readonly air = new AirLayer();
  private ground = new Ground();
  private colliders = new ColliderLayer();
  private sun = new T.DirectionalLight('#fff1dc', 1.9);
  private due = false;
  private framed = false;
  private chosen: string | null = null;
  /** Told what is on screen of the chosen body. */
  onShown: (s: Shown) => void = () => {};

  mount(canvas: HTMLCanvasElement): () => void {
    this.canvas = canvas;
    const plain = drawsInSoftware();
    this.plain = plain;
    this.air.pause = plain ? 450 : 90;
    try {
      this.renderer = new T.WebGLRenderer({ canvas, antialias: !plain, alpha: true });
    } catch {
      canvas.dataset['fault'] = 'no WebGL';
      return () => {};
    }
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = plain ? T.BasicShadowMap : T.PCFShadowMap;
    // Turning the view moves no shadow: it is drawn anew only with a new frame.
    this.renderer.shadowMap.autoUpdate = false;
    this.camera.position.set(3.4, 2.6, 5.6);
    const controls = new OrbitControls(this.camera, canvas);
    controls.target.set(0, 1, 0);
    controls.minDistance = 0.05;
    controls.maxDistance = 120;
    controls.addEventListener('change', () => this.draw());
    this.controls = controls;
    this.sun.castShadow = true;
    this.sun.shadow.mapSize.setScalar(plain ? 768 : 1536);
    this.sun.shadow.radius = 5;
    this.sun.shadow.bias = -0.0004;
    this.sun.shadow.normalBias = plain ? 0.045 : 0.02;
    this.scene.add(this.sun, this.sun.target, new T.HemisphereLight('#eef3f2', '#a3977c', 1.35), this.ground.group, this.air.group, this.colliders.group);
    this.colliders.ask = (shadows) => (shadows ? this.drawAll() : this.draw());
    const unarm = this.colliders.mount(this.camera, canvas, controls);
    const fit = () => {
      const { clientWidth: w, clientHeight: h } = canvas;
      if (w === 0 || h === 0) return;
      this.renderer?.setPixelRatio(devicePixelRatio);
      this.renderer?.setSize(w, h, false);
      this.camera.aspect = w / h;
      this.camera.updateProjectionMatrix();
      this.air.setSize(w, h);
      this.draw();
    };
    const watch = new ResizeObserver(fit);
    watch.observe(canvas);
    fit();
    const off = clock.subscribe(() => this.showFrame());
    return () => {
      off();
      watch.disconnect();
      unarm();
      controls.dispose();
      this.scene.clear();
      this.renderer?.dispose();
      this.renderer = undefined;
      // The next mount starts anew.
      for (const l of this.layers.values()) l.cloth.dispose();
      this.layers.clear();
      this.framed = false;
    };
  }

  /** Draws once, with the next picture of the screen. */
  draw() {
    if (this.due) return;
    this.due = true;
    requestAnimationFrame(() => {
      this.due = false;
      this.renderer?.render(this.scene, this.camera);
    });
  }

  setShapes(shapes: Record<string, Shape>) {
    for (const [id, l] of this.layers) {
      if (shapes[id] === l.shape) continue;
      this.scene.remove(l.cloth.group, l.marks.group);
      l.cloth.dispose();
      l.marks.dispose();
      this.layers.delete(id);
    }
    for (const [id, shape] of Object.entries(shapes)) {
      if (this.layers.has(id)) continue;
      const cloth = new ClothLayer(shape, this.plain);
      const marks = new MarkLayer(shape);
      this.layers.set(id, { cloth, marks, shape, shown: '' });
      this.scene.add(cloth.group, marks.group);
    }
    this.light();
    if (!this.framed && this.layers.size > 0) {
      this.framed = true;
      this.frame();
    }
    this.showFrame();
  }

  setColliders(project: number, colliders: Record<string, Collider>) {
    this.colliders.set(project, colliders);
  }

  chooseCollider(id: string | null, mode: 'translate' | 'rotate') {
    this.colliders.choose(id, mode);
  }

  setLanes(lanes: Lane[]) {
    this.lanes = lanes;
    this.showFrame();
  }

  setLook(look: { wire: boolean; air: boolean; dusk: boolean; floor: number | null; chosen: string | null; points: number[] }) {
    this.chosen = look.chosen;
    for (const [id, l] of this.layers) {
      l.cloth.setWire(look.wire);
      l.marks.choose(id === look.chosen ? look.points : []);
    }
    this.ground.set(look.floor, look.dusk);
    this.air.setLook(look.air, look.dusk);
    for (const l of this.layers.values()) l.marks.follow(l.cloth.positions);
    this.showFrame();
    this.drawAll();
  }

  /** Puts the stored frame of the clock on screen, or the rest shape as a ghost where there is none. */
  showFrame() {
    const frame = clock.frame;
    const told: string[] = [];
    let moved = false;
    for (const [id, layer] of this.layers) {
      const { cloth, marks } = layer;
      const stretches = this.lanes.find((l) => l.body === id)?.stretches ?? [];
      const s = stretches.find((x) => x.first <= frame && frame <= x.last);
      let shown: Shown = { state: s?.state ?? 'missing', reasons: s?.reasons ?? [] };
      if (s && s.chunk != null && s.slot != null) {
        const chunk = chunkAtHand(s.chunk);
        const slot = s.slot + frame - s.first;
        const key = `${s.chunk}/${slot}/${s.state}`;
        // Lanes are told anew all the while a run goes on: what is on screen already stays.
        if (chunk && key === layer.shown) {
          told.push(`${id}:${frame}:${shown.state}`);
        } else if (chunk && writeFrame(chunk, slot, cloth.positions)) {
          cloth.changed(s.state === 'true' ? 'true' : 'stale');
          layer.shown = key;
          moved = true;
          told.push(`${id}:${frame}:${shown.state}`);
        } else if (!chunk) {
          // The picture stays as it is until the frame is here.
          shown = { state: 'coming', reasons: [] };
          void fetchChunk(s.chunk).then((c) => c && this.showFrame());
        } else {
          // Stored with another number of points: it can't be laid over this shape.
          moved = this.ghost(layer) || moved;
          told.push(`${id}:${frame}:${shown.state}`);
        }
      } else {
        moved = this.ghost(layer) || moved;
        told.push(`${id}:${frame}:${shown.state}`);
      }
      if (moved) marks.follow(cloth.positions);
      if (id === this.chosen || (this.chosen === null && told.length <= 1)) this.onShown(shown);
      for (const x of stretches) {
        if (x.chunk != null && x.last >= frame && x.first <= frame + AHEAD) void fetchChunk(x.chunk);
      }
    }
    this.colliders.go(frame);
    if (this.canvas) this.canvas.dataset['shown'] = told.join(' ');
    this.air.ask(frame, this.bounds());
    if (moved || this.colliders.bounds().isEmpty() === false) this.drawAll();
  }

  /** The rest shape of a body, as a ghost; false where it is on screen already. */
  private ghost(layer: { cloth: ClothLayer; shown: string }): boolean {
    if (layer.shown === 'ghost') return false;
    layer.shown = 'ghost';
    layer.cloth.rest();
    return true;
  }

  /** Draws with new shadows. */
  private drawAll() {
    if (this.renderer) this.renderer.shadowMap.needsUpdate = true;
    this.draw();
  }

  /** A box around all bodies as they stand on screen. */
  bounds(only?: string | null): T.Box3 {
    const box = new T.Box3();
    for (const [id, { cloth }] of this.layers) if (!only || only === id) box.union(cloth.bounds());
    if (box.isEmpty()) box.set(new T.Vector3(-1, 0, -1), new T.Vector3(1, 2, 1));
    return box;
  }

  /** Brings the chosen body, or all, into view from where the camera is. */
  frame() {
    if (!this.controls) return;
    const only = this.chosen && this.layers.has(this.chosen) ? this.chosen : null;
    const box = this.bounds(this.layers.size > 1 ? only : null);
    if (!only || this.layers.size <= 1) box.union(this.colliders.bounds());
    const size = box.getSize(new T.Vector3()).length();
    // With the ground, where it is near: the shadow tells how high a body is.
    const ground = this.ground.group.position.y;
    if (box.min.y > ground && box.min.y - ground < 0.7 * size) box.min.y = ground;
    const ball = box.getBoundingSphere(new T.Sphere());
    const way = this.camera.position.clone().sub(this.controls.target).normalize();
    const half = T.MathUtils.degToRad(this.camera.fov / 2);
    const far = Math.max(0.2, (ball.radius * 0.94) / Math.sin(Math.min(half, Math.atan(Math.tan(half) * this.camera.aspect))));
    const centre = ball.center;
    this.controls.target.copy(centre);
    this.camera.position.copy(centre).addScaledVector(way, far);
    this.controls.update();
    this.light();
    this.drawAll();
  }

  /** The sun follows the bodies, so that its shadow is sharp where they are. */
  private light() {
    const ball = this.bounds().getBoundingSphere(new T.Sphere());
    const r = Math.max(1, ball.radius * 1.5);
    this.sun.position.copy(ball.center).add(new T.Vector3(-0.45, 1, 0.5).multiplyScalar(3 * r));
    this.sun.target.position.copy(ball.center);
    const c = this.sun.shadow.camera;
    Object.assign(c, { left: -r * 1.4, right: r * 1.4, top: r * 1.4, bottom: -r * 1.4, near: 0.1, far: 7 * r });
    c.updateProjectionMatrix();
  }

  /** Points of a body on the canvas: x, y in pixels and depth, three numbers each. */
  private projected(id: string): Float32Array | null {
    const layer = this.layers.get(id);
    if (!layer || !this.canvas) return null;
    const p = layer.cloth.positions;
    const out = new Float32Array(p.length);
    const v = new T.Vector3();
    this.camera.updateMatrixWorld();
    for (let k = 0; k < p.length; k += 3) {
      v.set(p[k]!, p[k + 1]!, p[k + 2]!).project(this.camera);
      out[k] = ((v.x + 1) / 2) * this.canvas.clientWidth;
      out[k + 1] = ((1 - v.y) / 2) * this.canvas.clientHeight;
      out[k + 2] = v.z;
    }
    return out;
  }

  /** The point nearest to a place on the canvas, within a finger's reach; the front one of several. */
  pick(id: string, x: number, y: number): number | null {
    const p = this.projected(id);
    let best: number | null = null;
    let score = Infinity;
    for (let k = 0; p && k < p.length; k += 3) {
      const d = Math.hypot(p[k]! - x, p[k + 1]! - y);
      const s = d + 400 * p[k + 2]!;
      if (d < 12 && p[k + 2]! < 1 && s < score) [best, score] = [k / 3, s];
    }
    return best;
  }

  /** All points inside a rectangle of the canvas. */
  within(id: string, x0: number, y0: number, x1: number, y1: number): number[] {
    const p = this.projected(id);
    const found: number[] = [];
    for (let k = 0; p && k < p.length; k += 3) {
      const [x, y] = [p[k]!, p[k + 1]!];
      if (x >= x0 && x <= x1 && y >= y0 && y <= y1 && p[k + 2]! < 1) found.push(k / 3);
    }
    return found;
  }

  /** Where a point is on the canvas, for tests to click it. */
  placeOf(id: string, point: number): [number, number] | null {
    const p = this.projected(id);
    return p ? [p[3 * point]!, p[3 * point + 1]!] : null;
  }
}

export const stage = new Stage();
// For journeys that click a point of the cloth.
(globalThis as Record<string, unknown>)['nematonStage'] = stage;
