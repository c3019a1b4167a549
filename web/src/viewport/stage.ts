/** What is seen: three.js, fed by reference and drawn only when something changed. No React in here. Long, because all that is
 * drawn has one canvas, one camera and one moment at which it is drawn. */
import * as T from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { acceleratedRaycast } from 'three-mesh-bvh';
import type { Body, Camera, Collider, Figure, Handle, Lane, Scene, Stretch } from '../api/http';
import type { Shape } from '../api/shape';
import { placeThing } from '../bench/things';
import { placeAt, placeHandle } from '../state/motion';
import { DYED, pictureOf } from '../state/dyes';
import { nodeMoves, placeOf } from '../state/value';
import type { Arms as Mode, Seen, StrandsAs, Tool } from '../state/view';
import { chunkAtHand, fetchAhead, fetchChunk, writeFrame, writeTurns } from '../stream/chunks';
import { clock } from '../stream/clock';
import { blendIn } from './loop-blend';
import { steadied } from './steadied';
import { hand, rehearses } from '../stream/rehearsal';
import { trial } from '../stream/trial';
import { AirLayer } from './air-layer';
import { Arms, type Grabbed } from './arms';
import { Beside, type Compared } from './beside';
import type { How } from '../state/takes';
import { layerOf, type BodyLayer } from './body-layer';
import { ALONE, ChosenOutline } from './chosen-outline';
import { ClothLayer } from './cloth-layer';
import { ColliderLayer } from './collider-layer';
import { FigureLayer } from './figure-layer';
import { ForceLayer, type Force } from './force-layer';
import { Ground } from './ground';
import { HandleLayer } from './handle-layer';
import { Labels } from './labels';
import { Comber } from './comber';
import { Painter } from './painter';
import type { Finished } from '../api/finish';
import type { Hairs } from '../api/hairs';
import type { Limbs } from '../api/limbs';
import type { HairLook } from './hair-layer';
import { StrandLayer } from './strand-layer';
import { MarkLayer } from './mark-layer';
import { Picker } from './picker';
import { Places } from './places';
import { BeadLayer } from './bead-layer';
import { OutlineLayer } from './outline-layer';
import { PlantLayer } from './plant-layer';
import { SeamLayer } from './seam-layer';
import { TieLayer } from './tie-layer';
import { Pictures } from './pictures';
import { Under } from './under';
import { VaneLayer } from './vane-layer';
import { Views } from './views';

T.Mesh.prototype.raycast = acceleratedRaycast;

export type Shown = {
  state: Stretch['state'] | 'coming' | 'trial' | 'combed';
  reasons: string[];
  /** How many pieces there are in the frame, where they come and go. */
  there?: number | null;
  /** How many of them lie still. */
  lying?: number | null;
};
export type From = 'the front' | 'the side' | 'above' | 'a corner';
/** What stands where one clicked. */
export type Hit = { kind: 'bodies' | 'colliders' | 'handles' | 'figures'; id: string };
/** What arms are put on: a thing, or a place by its path, with the name of whose it is. */
export type Armed = Hit | { kind: 'places'; id: string; name: string };

/** Whether the machine draws without a graphics card: then the picture is simpler while things move. */
function drawsInSoftware(): boolean {
  const probe = document.createElement('canvas').getContext('webgl2');
  const told = probe?.getExtension('WEBGL_debug_renderer_info');
  const name = told ? String(probe?.getParameter(told.UNMASKED_RENDERER_WEBGL)) : '';
  probe?.getExtension('WEBGL_lose_context')?.loseContext();
  return /swiftshader|llvmpipe|software|basic render/i.test(name);
}

/** Frames that are fetched ahead of the one on screen. */
const AHEAD = 72;
/** Milliseconds without a change after which all is drawn at its best. */
const REST = 220;
/** Pixels, of those there are, and width of the shadow while things move in software, and at rest. */
const QUICK = { pixels: 0.5, shadow: 256 };
/** The same pixels where even those come slowly, and what is slow: milliseconds a picture. */
const COARSE = { pixels: 0.36, cost: 45 };
const BEST = { pixels: 1.5, shadow: 1024 };

/** What is far away fades to this by day. */
const HAZE = '#c9cfc6';
const skies = new Map<boolean, T.Texture>();
/** The ground tone of the view, lighter above. Part of the picture: to blend the canvas with the page costs more. */
function sky(dusk: boolean): T.Texture {
  const made = skies.get(dusk);
  if (made) return made;
  const c = document.createElement('canvas');
  [c.width, c.height] = [2, 128];
  const k = c.getContext('2d')!;
  const fill = k.createLinearGradient(0, 0, 0, 128);
  fill.addColorStop(0, dusk ? '#222c33' : '#9fb4b8');
  fill.addColorStop(0.55, dusk ? '#33393a' : HAZE);
  fill.addColorStop(1, dusk ? '#232825' : '#b9b29c');
  k.fillStyle = fill;
  k.fillRect(0, 0, 2, 128);
  const texture = new T.CanvasTexture(c);
  texture.colorSpace = T.SRGBColorSpace;
  skies.set(dusk, texture);
  return texture;
}

/** The map that is shown on a body, and another that is hatched over it. */
export type ShownMaps = {
  body: string;
  soak: { weights: Float32Array; colour: string } | null;
  hatch: { weights: Float32Array; colour: string } | null;
};

export type Layer = { drawn: BodyLayer; marks: MarkLayer; shape: Shape; shown: string };

export class Stage {
  readonly scene = new T.Scene();
  readonly camera = new T.PerspectiveCamera(34, 1, 0.02, 400);
  /** Whether there is no graphics card, so that drawing is slow. */
  private plain = false;
  renderer?: T.WebGLRenderer;
  controls?: OrbitControls;
  canvas?: HTMLCanvasElement;
  readonly layers = new Map<string, Layer>();
  private bodies: Record<string, Body> = {};
  private cameras: Record<string, Camera> = {};
  private lanes: Lane[] = [];
  readonly air = new AirLayer();
  ground = new Ground();
  places = new Places();
  readonly colliders = new ColliderLayer(this.places);
  readonly figures = new FigureLayer(this.places);
  readonly handles = new HandleLayer(this.places);
  readonly ties = new TieLayer(this.handles);
  readonly seams = new SeamLayer();
  private sewn: string | null = null;
  readonly outlines = new OutlineLayer();
  readonly vane = new VaneLayer();
  readonly beads = new BeadLayer();
  private tied: string | null = null;
  arms = new Arms();
  /** What the arms of a body are on: where it starts. */
  private start = new T.Object3D();
  readonly labels = new Labels();
  readonly picker = new Picker(this);
  readonly under = new Under(this);
  readonly views = new Views(this);
  readonly pictures = new Pictures(this);
  readonly painter = new Painter(this);
  readonly comber = new Comber(this);
  /** The strands under a comb: they are shown as they are at rest. */
  private combed: string | null = null;
  /** What is between the strands of each body, and how they are shown. */
  private between: Record<string, { hairs: Hairs | null; look: HairLook | null }> = {};
  private strandsAs: StrandsAs = 'hairs';
  private limbs: Record<string, Limbs | null> = {};
  private finishes: Record<string, Finished | null> = {};
  /** Over how many frames each way a body is evened out in time. */
  private steady: Record<string, number> = {};
  private maps: ShownMaps | null = null;
  private sun = new T.DirectionalLight('#fff1dc', 2.3);
  private heaven = new T.HemisphereLight('#eaf1f4', '#8d7f64', 1.25);
  readonly forces = new ForceLayer();
  private outline = new ChosenOutline();
  look = { dusk: false, scenery: true, floor: null as number | null };
  private due = false;
  framed = false;
  /** Whether one has looked at this project before, from somewhere of one's own. */
  private looked = false;
  best = true;
  resting: ReturnType<typeof setTimeout> | undefined;
  chosen: string | null = null;
  private hidden: string[] = [];
  private shadowsOld = true;
  private ghostShown = false;
  /** Milliseconds that a picture takes of late, and when shadows were last drawn. */
  private cost = 16;
  private shadowsAt = 0;
  /** Told what is on screen of the chosen body. */
  onShown: (s: Shown) => void = () => {};
  /** Told what a take that is compared is to what is on screen. */
  onCompared: (c: Compared | null) => void = () => {};
  /** A take beside what is on screen. */
  readonly beside = new Beside(
    () => this.plain,
    () => this.drawAll(),
    (here) => {
      for (const [id, l] of this.layers) l.drawn.group.visible = l.marks.group.visible = here && !this.hidden.includes(id);
    },
  );
  /** Told where one looks from, when that has changed. */
  onLook: (camera: NonNullable<Seen['camera']>) => void = () => {};
  /** Told when a picture at its best is on screen. */
  onRest: () => void = () => {};

  mount(canvas: HTMLCanvasElement, seen: Seen['camera']): () => void {
    this.canvas = canvas;
    const plain = drawsInSoftware();
    this.plain = plain;
    this.air.pause = plain ? 450 : 90;
    try {
      this.renderer = new T.WebGLRenderer({ canvas, antialias: !plain, alpha: false });
    } catch {
      canvas.dataset['fault'] = 'no WebGL';
      return () => {};
    }
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = T.PCFShadowMap;
    // Turning the view moves no shadow: it is drawn anew only with a new frame.
    this.renderer.shadowMap.autoUpdate = false;
    const controls = new OrbitControls(this.camera, canvas);
    controls.minDistance = 0.02;
    controls.maxDistance = 120;
    controls.addEventListener('change', () => this.draw());
    controls.addEventListener('end', () => this.tellLook());
    this.controls = controls;
    this.looked = seen !== undefined;
    if (seen) {
      this.framed = true;
      this.camera.position.fromArray(seen.at);
      controls.target.fromArray(seen.to);
    } else {
      this.camera.position.set(3.4, 2.6, 5.6);
      controls.target.set(0, 1, 0);
    }
    controls.update();
    this.sun.castShadow = true;
    this.sun.shadow.radius = 2.5;
    this.scene.add(
      this.sun,
      this.sun.target,
      this.heaven,
      this.ground.group,
      this.air.group,
      this.colliders.group,
      this.figures.group,
      this.handles.group,
      this.ties.lines,
      this.seams.group,
      this.outlines.group,
      this.outlines.anchor,
      this.vane.group,
      this.beads.group,
      this.beside.group,
      this.forces.group,
      this.start,
    );
    for (const l of [this.sun, this.heaven]) l.layers.enable(ALONE);
    this.start.rotation.order = 'ZYX';
    this.figures.ask = () => this.drawAll();
    this.handles.ask = () => this.draw();
    this.places.onNews = () => {
      for (const l of [this.colliders, this.figures, this.handles]) l.go(clock.frame);
      this.drawAll();
    };
    this.colliders.ask = (shadows) => {
      this.welcome(this.known.project, this.colliders.ids());
      return shadows ? this.drawAll() : this.draw();
    };
    this.air.draw = () => this.draw(false);
    this.air.bodies = () => this.somePoints();
    this.arms.ask = () => this.drawAll();
    const unarm = this.arms.mount(this.camera, canvas, controls, this.scene);
    const fit = () => {
      const { clientWidth: w, clientHeight: h } = canvas;
      if (w === 0 || h === 0) return;
      this.camera.aspect = w / h;
      this.camera.updateProjectionMatrix();
      this.air.setSize(w, h);
      this.vane.setSize(w, h);
      this.forces.setSize(w, h);
      this.size();
      this.draw();
    };
    const watch = new ResizeObserver(fit);
    watch.observe(canvas);
    fit();
    const off = clock.subscribe(() => this.showFrame());
    const untry = trial.subscribe(() => this.showFrame());
    return () => {
      off();
      untry();
      clearTimeout(this.resting);
      watch.disconnect();
      unarm();
      controls.dispose();
      this.colliders.clear();
      this.figures.clear();
      this.handles.clear();
      this.outlines.clear();
      this.beads.clear();
      this.outline.dispose();
      this.scene.clear();
      this.renderer?.dispose();
      this.renderer = undefined as never;
      // The next mount starts anew.
      for (const l of this.layers.values()) l.drawn.dispose();
      this.layers.clear();
      this.framed = false;
      this.due = false;
    };
  }

  /** The canvas' own size by how well it is drawn. */
  size() {
    const { renderer, canvas } = this;
    if (!renderer || !canvas) return;
    for (const l of this.layers.values()) {
      l.marks.setBest(this.best);
      l.drawn.setBest?.(this.best || !this.plain);
    }
    const of = this.best || !this.plain ? BEST : QUICK;
    // A scene that is slow to draw at all is not drawn at more than the screen has.
    const least = this.cost > COARSE.cost ? COARSE.pixels : of.pixels;
    const pixels = this.best ? (this.cost > 120 ? 1 : of.pixels) : least;
    renderer.setPixelRatio((this.plain ? pixels : 1) * devicePixelRatio);
    renderer.setSize(canvas.clientWidth, canvas.clientHeight, false);
    const shadow = this.plain ? of.shadow : 2048;
    if (this.sun.shadow.mapSize.x !== shadow) {
      this.sun.shadow.mapSize.setScalar(shadow);
      this.sun.shadow.map?.dispose();
      this.sun.shadow.map = null as never;
      this.shadowsOld = true;
    }
    // Half of it is the cloth's own fault: a texel of the shadow is as wide as this.
    const camera = this.sun.shadow.camera;
    const texel = (camera.right - camera.left) / shadow;
    this.sun.shadow.normalBias = 2.2 * texel;
    this.sun.shadow.bias = (-1.5 * texel) / (camera.far - camera.near);
  }

  /** Draws with the next picture of the screen; `moves` where more pictures will follow soon. */
  draw(moves = true) {
    if (moves) {
      if (this.best && this.plain) {
        this.best = false;
        // The air is drawn again where frames rest.
        this.air.group.visible = false;
        this.size();
      }
      clearTimeout(this.resting);
      this.resting = setTimeout(() => this.rest(), Math.max(REST, 3 * this.cost));
    }
    if (this.due) return;
    this.due = true;
    requestAnimationFrame(() => this.paint());
  }

  private paint() {
    this.due = false;
    if (!this.renderer) return;
    const at = performance.now();
    // Where drawing is slow shadows are a little behind while things move: they take half of the time.
    const late = this.plain && !this.best && at - this.shadowsAt < 4 * this.cost;
    if (this.shadowsOld && !late) {
      this.renderer.shadowMap.needsUpdate = true;
      this.shadowsOld = false;
      this.shadowsAt = at;
    }
    this.renderer.render(this.scene, this.camera);
    this.outline.render(this.renderer, this.scene, this.camera, this.plain && !this.best);
    if (!this.best) requestAnimationFrame(() => (this.cost = 0.7 * this.cost + 0.3 * (performance.now() - at)));
    this.labels.place(this.camera, this.canvas!, (id, p) => this.pointOf(id, p));
  }

  /** Nothing moves: all of it at its best. */
  private rest() {
    if (clock.playing || this.arms.isHeld) {
      this.resting = setTimeout(() => this.rest(), Math.max(REST, 3 * this.cost));
      return;
    }
    if (!this.best) {
      this.best = true;
      this.air.show();
      this.size();
      this.shadowsOld = true;
      this.draw(false);
    }
    this.onRest();
  }

  setShapes(shapes: Record<string, Shape>) {
    const news: string[] = [];
    for (const [id, l] of this.layers) {
      if (shapes[id] === l.shape) continue;
      this.scene.remove(l.drawn.group, l.marks.group);
      l.drawn.dispose();
      l.marks.dispose();
      this.layers.delete(id);
      if (shapes[id]) news.push(`again ${id}`);
    }
    for (const [id, shape] of Object.entries(shapes)) {
      if (this.layers.has(id)) continue;
      const drawn = layerOf(shape, this.plain, DYED[this.bodies[id]?.dye ?? 'linen'], () => this.draw(false));
      drawn.setPicture?.(pictureOf(this.bodies[id]));
      const marks = new MarkLayer(shape);
      drawn.mesh.userData = { kind: 'bodies', id };
      this.layers.set(id, { drawn, marks, shape, shown: '' });
      this.scene.add(drawn.group, marks.group);
      this.grow(id);
      if (!news.includes(`again ${id}`)) news.push(id);
    }
    this.showMaps();
    this.hide(this.hidden);
    this.light();
    const first = !this.framed && this.layers.size > 0;
    if (first || news.some((id) => this.layers.has(id) && !this.isSeen(id))) {
      this.framed = true;
      const [kept] = first && !this.looked ? Object.entries(this.cameras) : [];
      if (kept) this.views.lookFromCamera(...kept);
      else this.views.frame(first ? null : undefined);
    }
    this.showFrame();
    this.drawAll();
  }

  /** Whether a body lies in the view and is not tiny there. */
  private isSeen(id: string): boolean {
    const drawn = this.layers.get(id)?.drawn;
    return !drawn || this.shows(drawn.bounds());
  }

  private shows(box: T.Box3): boolean {
    if (box.isEmpty()) return true;
    const ball = box.getBoundingSphere(new T.Sphere());
    this.camera.updateMatrixWorld();
    const seen = new T.Frustum().setFromProjectionMatrix(
      new T.Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse),
    );
    const high = ball.radius / (ball.center.distanceTo(this.camera.position) * Math.tan(T.MathUtils.degToRad(this.camera.fov / 2)));
    const middle = ball.center.clone().project(this.camera);
    return seen.intersectsSphere(ball) && high > 0.12 && Math.abs(middle.x) < 0.8 && Math.abs(middle.y) < 0.8;
  }

  setBodies(bodies: Record<string, Body>) {
    this.bodies = bodies;
    for (const [id, l] of this.layers) {
      l.drawn.setDye(DYED[bodies[id]?.dye ?? 'linen']);
      l.drawn.setPicture?.(pictureOf(bodies[id]));
    }
    this.draw(false);
  }

  /** What stands in the scene beside bodies. */
  setThings(
    project: number,
    scene: {
      colliders: Record<string, Collider>;
      figures: Record<string, Figure>;
      handles: Record<string, Handle>;
      cameras: Scene['cameras'];
      frames: Scene['frames'];
    },
  ) {
    this.places.follow(project, scene);
    this.cameras = scene.cameras ?? {};
    this.colliders.set(project, scene.colliders);
    this.figures.set(project, scene.figures, scene.frames);
    this.handles.set(scene.handles);
    this.hide(this.hidden);
    this.welcome(project, Object.keys(scene.colliders));
  }

  /** Colliders of the open project: those that have been seen, and those that it was opened with. */
  private known: { project: number; ids: Set<string>; first: Set<string> } = { project: 0, ids: new Set(), first: new Set() };

  /** What is new comes into the picture once its shape is there; of a project that is opened all of it is there from outside. */
  private welcome(project: number, ids: string[]) {
    if (this.known.project !== project) this.known = { project, ids: new Set(), first: new Set(ids) };
    if (!this.controls) return;
    const { known } = this;
    const fresh = ids.filter((id) => !known.ids.has(id) && !this.boxOf(id).isEmpty());
    if (fresh.length === 0) return;
    fresh.forEach((id) => known.ids.add(id));
    const opened = fresh.every((id) => known.first.has(id));
    const within = this.colliders.bounds().containsPoint(this.camera.position);
    if (opened ? within && !this.looked : within || fresh.some((id) => !this.shows(this.boxOf(id)))) this.views.frame(null);
  }

  boxOf(collider: string): T.Box3 {
    const mesh = this.colliders.meshOf(collider);
    const plane = 'plane' in (this.colliders.collider(collider)?.form ?? {});
    return mesh && !plane ? new T.Box3().setFromObject(mesh) : new T.Box3();
  }

  /** Puts the arms on a body, a collider, or nothing. */
  arm(on: Armed | null, mode: Mode, snap: boolean) {
    this.colliders.choose(on?.kind === 'colliders' ? on.id : null);
    this.figures.choose(on?.kind === 'figures' ? on.id : null);
    this.handles.choose(on?.kind === 'handles' ? on.id : null);
    this.arms.put(on && this.grab(on), mode, snap);
  }

  private grab(on: Armed): Grabbed | null {
    const { kind, id } = on;
    if (kind === 'places') {
      const object = this.outlines.at(id);
      return (
        object && {
          object,
          onMove: () => {
            this.outlines.follow();
            this.tellHand(`${id}/place`, object);
            this.draw();
          },
          onHold: (held) => {
            // Let go, it stays where it was left until the core has drawn it there.
            if (held) this.outlines.hold(true);
          },
          onDone: (_position, _turn, turned) => {
            if (rehearses(`${id}/place`)) return;
            const world = [...object.position.toArray(), ...object.quaternion.toArray()];
            const was = this.outlines.of(id);
            this.outlines.hold(false);
            // Put back by Escape or a press that moved nothing.
            if (was && world.every((v, k) => Math.abs(v - [...was.position, ...was.turn][k]!) < 1e-6)) return this.outlines.settle();
            void placeAt(`${id}/place`, on.name, world, turned).then((done) => {
              if (!done) this.outlines.settle();
              this.draw();
            });
          },
        }
      );
    }
    if (kind === 'colliders') {
      const [mesh, c] = [this.colliders.meshOf(id), this.colliders.collider(id)];
      if (!mesh || !c || nodeMoves(c.place)) return null;
      return {
        object: mesh,
        onMove: () => {
          this.tellHand(`/colliders/${id}/place`, mesh);
          this.drawAll();
        },
        onHold: (held) => (this.colliders.held = held || rehearses(`/colliders/${id}/place`) ? id : null),
        onDone: (position, turn) => {
          if (!rehearses(`/colliders/${id}/place`)) void placeThing('colliders', id, c.name, position, 'placed', turn);
        },
      };
    }
    if (kind === 'handles') {
      const found = this.handles.objectOf(id);
      return (
        (found && {
          object: found.object,
          onMove: () => {
            this.tellHand(`/handles/${id}/place`, found.object);
            this.draw();
          },
          onHold: (held) => (this.handles.held = held || rehearses(`/handles/${id}/place`) ? id : null),
          onDone: (_position, _turn, turned) => {
            if (rehearses(`/handles/${id}/place`)) return;
            const { position, quaternion } = found.object;
            void placeHandle(id, found.handle.name, [...position.toArray(), ...quaternion.toArray()], turned).then(() =>
              this.handles.go(clock.frame),
            );
          },
        }) ??
        null
      );
    }
    if (kind === 'figures') return null;
    const [layer, body] = [this.layers.get(id), this.bodies[id]];
    // What is simulated is where it went: only where it starts can be set.
    if (!layer || !body || !this.ghostShown) return null;
    const object = this.start;
    if (this.arms.isHeld) return null;
    const { position, turn } = placeOf(body.place);
    object.position.fromArray(position);
    object.rotation.set(...(turn as [number, number, number]), 'ZYX');
    object.updateMatrixWorld();
    const back = object.matrixWorld.clone().invert();
    const move = () => {
      object.updateMatrixWorld();
      for (const g of [layer.drawn.group, layer.marks.group]) {
        g.matrixAutoUpdate = false;
        g.matrix.multiplyMatrices(object.matrixWorld, back);
      }
      this.drawAll();
    };
    return {
      object,
      onMove: move,
      onHold: () => {},
      onDone: (position, turn) =>
        void placeThing('bodies', id, body.name, position, 'placed', turn).then((done) => {
          if (done) return;
          for (const g of [layer.drawn.group, layer.marks.group]) g.matrix.identity();
          this.drawAll();
        }),
    };
  }

  /** Where a thing is that is rehearsed. */
  private tellHand(place: string, object: T.Object3D) {
    if (rehearses(place)) hand(object.position.toArray(), object.quaternion.toArray());
  }

  /** Lets go of what was rehearsed: it is where the scene has it. */
  letGo() {
    this.handles.held = this.colliders.held = null;
    for (const l of [this.handles, this.colliders]) l.go(clock.frame);
    this.drawAll();
  }

  /** Shows what a body is tied to: of an open grip all of it. */
  setTies(body: string | null, open: string | null) {
    this.tied = body;
    this.ties.set(body ? this.bodies[body] : undefined, body ? this.layers.get(body)?.shape : undefined, open);
    this.tie();
    this.draw(false);
  }

  private tie() {
    const layer = this.tied ? this.layers.get(this.tied) : undefined;
    if (layer) this.ties.follow(layer.drawn.positions);
    const seamed = this.sewn ? this.layers.get(this.sewn) : undefined;
    if (seamed) this.seams.follow(seamed.drawn.positions);
  }

  /** Shows the seams of a body; of none where there is none. */
  setSeams(body: string | null) {
    this.sewn = body;
    this.seams.set(body ? this.layers.get(body)?.shape : undefined);
    this.tie();
    this.draw(false);
  }

  /** Shows maps on a body; on none where `maps` is null. */
  setMaps(maps: ShownMaps | null) {
    this.maps = maps;
    this.showMaps();
  }

  /** Shows the maps as they were last told: strokes change what is on screen only. */
  showMaps() {
    for (const [id, l] of this.layers) {
      const own = this.maps?.body === id ? this.maps : null;
      const copy = (m: ShownMaps['soak']) => m && { ...m, weights: m.weights.slice() };
      l.drawn.setMaps?.(copy(own?.soak ?? null), copy(own?.hatch ?? null));
    }
    if (this.beside.how === 'apart') this.beside.go(clock.frame, this.layers, () => this.showFrame());
    this.draw(false);
  }

  /** Compares a take with what is on screen; with none, no more. */
  setBeside(taken: Parameters<Beside['set']>[0], how: How | null) {
    this.beside.set(taken, how);
    this.showMaps();
    this.showFrame();
    this.drawAll();
  }

  /** The map that is shown on a body where a ray met it. */
  soakedAt(body: string, hit: T.Intersection): number | null {
    const drawn = this.layers.get(body)?.drawn;
    return drawn instanceof ClothLayer ? drawn.soakedAt(hit) : null;
  }

  /** The hairs between strands, by body, and what is seen of them. */
  setHairs(between: Record<string, { hairs: Hairs | null; look: HairLook | null }>, as: StrandsAs) {
    this.between = between;
    this.strandsAs = as;
    for (const id of this.layers.keys()) this.grow(id);
    this.draw(false);
  }

  /** What plants are as that are as a mesh, by body. */
  setLimbs(limbs: Record<string, Limbs | null>) {
    this.limbs = limbs;
    for (const id of this.layers.keys()) this.grow(id);
    this.draw(false);
  }

  /** How cloth is finished, by body. */
  setFinishes(finishes: Record<string, Finished | null>, steady: Record<string, number>) {
    this.finishes = finishes;
    this.steady = steady;
    for (const id of this.layers.keys()) {
      this.grow(id);
      this.again(id);
    }
    this.drawAll();
  }

  private grow(id: string) {
    const drawn = this.layers.get(id)?.drawn;
    if (drawn instanceof PlantLayer) drawn.setLimbs(this.limbs[id] ?? null);
    if (drawn instanceof ClothLayer) drawn.setFinish(this.finishes[id] ?? null);
    const own = this.between[id];
    if (drawn instanceof StrandLayer) drawn.setHairs(own?.hairs ?? null, own?.look ?? null, this.strandsAs);
  }

  /** Shows the strands of a body as they are at rest, to be combed; of none where there is none. */
  setCombed(body: string | null) {
    if (body === this.combed) return;
    const was = this.combed;
    this.combed = body;
    for (const id of [was, body]) if (id) this.again(id);
  }

  /** Puts a body on screen anew. */
  again(id: string) {
    const layer = this.layers.get(id);
    if (layer) layer.shown = '';
    this.showFrame();
  }

  setLanes(lanes: Lane[]) {
    this.lanes = lanes;
    this.showFrame();
  }

  setLook(look: {
    wire: boolean;
    air: boolean;
    scenery: boolean;
    dusk: boolean;
    floor: number | null;
    chosen: string | null;
    points: number[];
    tool: Tool;
    hidden: string[];
  }) {
    this.chosen = look.chosen;
    for (const [id, l] of this.layers) {
      l.drawn.setWire(look.wire);
      l.marks.choose(id === look.chosen ? look.points : []);
    }
    this.look = { dusk: look.dusk, scenery: look.scenery, floor: look.floor };
    this.shine(look.dusk);
    this.air.setLook(look.air, look.dusk);
    for (const l of this.layers.values()) l.marks.follow(l.drawn.positions);
    // Left is for choosing while points are chosen; the wheel and the other buttons always look around.
    if (this.controls) this.controls.mouseButtons.LEFT = (look.tool === 'look' ? T.MOUSE.ROTATE : -1) as T.MOUSE;
    this.hide(look.hidden);
    // Of one body alone it is plain which is chosen.
    const drawn = this.layers.size > 1 && look.chosen ? this.layers.get(look.chosen)?.drawn : undefined;
    this.outline.set(drawn?.group ?? null, !(drawn instanceof ClothLayer));
    this.showFrame();
    this.drawAll();
  }

  /** By day or at dusk, until it is said again. */
  setLight(dusk: boolean) {
    this.look.dusk = dusk;
    this.shine(dusk);
    this.hide(this.hidden);
  }

  private shine(dusk: boolean) {
    this.scene.background = sky(dusk);
    this.sun.color.set(dusk ? '#ffd2a0' : '#fff1dc');
    this.sun.intensity = dusk ? 1.4 : 1.95;
    this.heaven.color.set(dusk ? '#8ea6bd' : '#eaf1f4');
    this.heaven.intensity = dusk ? 0.75 : 1.05;
    this.outline.setDusk(dusk);
  }

  private hide(hidden: string[]) {
    this.hidden = hidden;
    for (const [id, l] of this.layers) l.drawn.group.visible = l.marks.group.visible = !hidden.includes(id);
    this.figures.hide(hidden, this.look.scenery);
    const { about } = this.figures;
    this.colliders.hide(hidden, about);
    this.ground.set(this.look.floor, this.look.dusk, about);
    // Only what is far beyond the bodies fades.
    this.scene.fog = about ? new T.Fog(this.look.dusk ? '#33393a' : HAZE, 9, 85) : null;
  }

  /** Puts the stored frame of the clock on screen, or the rest shape as a ghost where there is none. */
  showFrame() {
    const frame = clock.frame;
    const told: string[] = [];
    const ahead: { first: number; chunk: number }[] = [];
    let any = false;
    this.ghostShown = frame === clock.first;
    for (const [id, layer] of this.layers) {
      const { drawn, marks } = layer;
      const tried = trial.shown?.places.get(id);
      const lane = this.lanes.find((l) => l.body === id);
      const stretches = lane?.stretches ?? [];
      // What is torn is marked while one is at the body.
      const snags = id === this.chosen ? lane?.snags.find((f) => f.frame === frame)?.snags : undefined;
      const blamed = marks.blame(snags?.flatMap((s) => s.triangles ?? []) ?? []);
      const s = stretches.find((x) => x.first <= frame && frame <= x.last);
      let shown: Shown = { state: s?.state ?? 'missing', reasons: s?.reasons ?? [] };
      let moved = false;
      if (id === this.combed && frame === clock.first) {
        if (layer.shown !== 'combed') {
          layer.shown = 'combed';
          drawn.rest();
          drawn.changed('true');
          moved = true;
        }
        shown = { state: 'combed', reasons: [] };
        told.push(`${id}:${frame}:combed`);
      } else if (tried && tried.length === drawn.positions.length) {
        drawn.positions.set(tried);
        drawn.changed('true');
        layer.shown = 'trial';
        moved = true;
        shown = { state: 'trial', reasons: [] };
        told.push(`${id}:${trial.shown!.frame}:trial`);
      } else if (s && s.chunk != null && s.slot != null) {
        const chunk = chunkAtHand(s.chunk);
        const slot = s.slot + frame - s.first;
        const round = clock.playing ? clock.goesRound : null;
        const key = `${s.chunk}/${slot}/${s.state}${round ? '/round' : ''}`;
        // Lanes are told anew all the while a run goes on: what is on screen already stays.
        if (chunk && key === layer.shown) {
          told.push(`${id}:${frame}:${shown.state}`);
        } else if (chunk && writeFrame(chunk, slot, drawn.positions)) {
          if (drawn.turns) writeTurns(chunk, slot, drawn.turns);
          if (round) blendIn(round, frame, stretches, drawn.positions);
          if (drawn.before) this.writeBefore(stretches, frame - 1, drawn.before);
          const over = this.finishes[id] ? (this.steady[id] ?? 0) : 0;
          const even = over
            ? steadied(over, frame, [clock.first, clock.last], stretches, drawn.positions, () => this.again(id))
            : drawn.positions;
          drawn.changed(s.state === 'true' ? 'true' : 'stale', even);
          // What waits for frames beside it is not there yet.
          layer.shown = even ? key : `${key}/waits`;
          moved = true;
          told.push(`${id}:${frame}:${shown.state}`);
        } else if (!chunk) {
          // The picture stays as it is until the frame is here.
          shown = { state: 'coming', reasons: [] };
          void fetchChunk(s.chunk).then((c) => c && this.showFrame());
        } else {
          // Stored with another number of points: it can't be laid over this shape.
          moved = this.ghost(layer);
          told.push(`${id}:${frame}:${shown.state}`);
        }
      } else {
        moved = this.ghost(layer);
        told.push(`${id}:${frame}:${shown.state}`);
      }
      if (layer.shown === 'ghost') this.ghostShown = true;
      if (moved || blamed) marks.follow(drawn.positions);
      any ||= moved;
      if (id === this.chosen || (this.chosen === null && told.length <= 1)) {
        const lying = ['true', 'stale'].includes(shown.state) ? (drawn.lying?.() ?? null) : null;
        this.onShown({ ...shown, there: drawn.there?.() ?? null, lying });
      }
      for (const x of stretches) {
        if (x.chunk != null && x.last >= frame && x.first <= frame + AHEAD) ahead.push({ first: x.first, chunk: x.chunk });
      }
    }
    this.onCompared(this.beside.go(frame, this.layers, () => this.showFrame()));
    if (this.beside.how) ahead.push(...this.beside.ahead);
    this.goAlong();
    fetchAhead(ahead.sort((a, b) => a.first - b.first).map((a) => a.chunk));
    this.colliders.go(frame);
    this.figures.go(frame);
    this.handles.go(frame);
    this.tie();
    if (this.canvas) this.canvas.dataset['shown'] = told.join(' ');
    if (!this.plain || !clock.playing) this.air.ask(frame, this.bounds());
    if (any || this.beside.how || this.colliders.moves() || this.figures.any) this.drawAll();
    else if (this.handles.any) this.draw();
  }

  /** Where points were at another frame, if that is at hand. */
  private writeBefore(stretches: Stretch[], frame: number, out: Float32Array) {
    const s = stretches.find((x) => x.first <= frame && frame <= x.last);
    const chunk = s?.chunk != null ? chunkAtHand(s.chunk) : undefined;
    if (!chunk || !s || s.slot == null || !writeFrame(chunk, s.slot + frame - s.first, out)) out.fill(NaN);
  }

  /** The point that one goes along with, and where it was last. */
  private along: { body: string; point: number; at: T.Vector3 | null } | null = null;

  /** Goes along with a point of a body from now on; with none, where there is none. */
  setAlong(of: { body: string; point: number } | null) {
    this.along = of && { ...of, at: null };
    this.goAlong();
  }

  private goAlong() {
    const p = this.along && this.layers.get(this.along.body)?.drawn.positions;
    if (!this.along || !p || !this.controls) return;
    const k = 3 * this.along.point;
    // One that is not there is waited for.
    if (k + 2 >= p.length || Number.isNaN(p[k]!)) return;
    const at = new T.Vector3().fromArray(p, k);
    if (this.along.at) {
      const by = at.clone().sub(this.along.at);
      this.camera.position.add(by);
      this.controls.target.add(by);
      this.controls.update();
      if (by.lengthSq() > 0) this.draw();
    }
    this.along.at = at;
  }

  /** The rest shape of a body, as a ghost; false where it is on screen already. */
  private ghost(layer: Layer): boolean {
    if (layer.shown === 'ghost') return false;
    layer.shown = 'ghost';
    layer.drawn.rest();
    return true;
  }

  /** Draws with new shadows. */
  drawAll() {
    this.shadowsOld = true;
    this.draw();
  }

  /** A box around all bodies as they stand on screen, or one. */
  bounds(only?: string | null): T.Box3 {
    const box = new T.Box3();
    for (const [id, { drawn }] of this.layers) if ((!only || only === id) && drawn.group.visible) box.union(drawn.bounds());
    if (box.isEmpty()) box.set(new T.Vector3(-1, 0, -1), new T.Vector3(1, 2, 1));
    return box;
  }

  tellLook() {
    if (this.controls) this.onLook({ at: this.camera.position.toArray(), to: this.controls.target.toArray() });
  }

  /** The sun follows the bodies, so that its shadow is sharp where they are. */
  light() {
    const ball = this.bounds().getBoundingSphere(new T.Sphere());
    const r = Math.max(0.02, ball.radius * 1.25);
    this.sun.position.copy(ball.center).add(new T.Vector3(-0.5, 0.95, 0.36).multiplyScalar(3 * r));
    this.sun.target.position.copy(ball.center);
    const c = this.sun.shadow.camera;
    Object.assign(c, { left: -r * 1.25, right: r * 1.25, top: r * 1.25, bottom: -r * 1.25, near: 0.02 * r, far: 7 * r });
    c.updateProjectionMatrix();
    // A shadow falls as far away as a body is high.
    const down = Math.max(0, ball.center.y - this.ground.group.position.y);
    this.ground.around(ball.center.x + 0.53 * down, ball.center.z - 0.38 * down, 1.9 * r + 0.4 * down);
    this.size();
  }

  /** Draws what acts on a point as arrows from where it is; none where there are none. */
  setForces(at: readonly number[] | null, forces: Force[]) {
    this.labels.set('forces', this.forces.set(at, forces, this.camera.position.distanceTo(this.controls?.target ?? new T.Vector3())));
    this.draw(false);
  }

  /** Every so many of the points on screen, some hundreds in all. */
  private somePoints(): Float32Array {
    const all = [...this.layers.values()].filter((l) => l.drawn.group.visible).map((l) => l.drawn.positions);
    const each = Math.max(1, Math.ceil(all.reduce((n, p) => n + p.length / 3, 0) / 500));
    const out: number[] = [];
    for (const p of all) for (let k = 0; k + 2 < p.length; k += 3 * each) out.push(p[k]!, p[k + 1]!, p[k + 2]!);
    return Float32Array.from(out);
  }

  /** Where a point of a body is. */
  pointOf(id: string, point: number): T.Vector3 | null {
    const p = this.layers.get(id)?.drawn.positions;
    return p && 3 * point + 2 < p.length ? new T.Vector3(p[3 * point], p[3 * point + 1], p[3 * point + 2]) : null;
  }

  /** Where a place in the world is on the canvas. */
  readonly onCanvas = (p: T.Vector3): [number, number] => {
    const q = p.clone().project(this.camera);
    const { clientWidth: w, clientHeight: h } = this.canvas!;
    return q.z > 1 ? [-1e6, -1e6] : [0.5 * (q.x + 1) * w, 0.5 * (1 - q.y) * h];
  };

  /** Whether a press on the canvas is the arms' own. */
  get armsAreNear(): boolean {
    return this.arms.isNear || this.arms.isHeld;
  }

  /** Where a point is on the canvas, for tests to click it. */
  placeOf(id: string, point: number): [number, number] | null {
    const p = this.picker.projected(id);
    return p ? [p[3 * point]!, p[3 * point + 1]!] : null;
  }
}

export const stage = new Stage();
// For journeys that click a point of the cloth.
(globalThis as Record<string, unknown>)['nematonStage'] = stage;
