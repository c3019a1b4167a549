/** Small moving pictures of takes: some frames of each, drawn once and apart from the view. */
import * as T from 'three';
import type { Lane } from '../api/http';
import type { Shape } from '../api/shape';
import { DYED } from '../state/dyes';
import { now } from '../state/queries';
import { fetchChunk, writeFrame, writeTurns } from '../stream/chunks';
import { layerOf } from './body-layer';
import { stage } from './stage';

/** Pixels of a picture, and how many there are of a take at most. */
export const WIDE = 72;
export const HIGH = 44;
const MOST = 8;
/** What is larger than so many points is not fetched for a small picture. */
const POINTS = 60_000;

type Place = { chunk: number; slot: number };

/** For some frames, as far apart as may be, where each body is found: the first of a chunk, so that few are fetched. */
export function framesOf(lanes: Pick<Lane, 'body' | 'stretches'>[]): Map<string, Place>[] {
  const at = (lane: Pick<Lane, 'stretches'>, frame: number): Place | null => {
    const s = lane.stretches.find((x) => x.first <= frame && frame <= x.last && x.chunk != null);
    return s?.chunk != null && s.slot != null ? { chunk: s.chunk, slot: s.slot + frame - s.first } : null;
  };
  const begin = new Set(lanes.flatMap((l) => l.stretches.filter((s) => s.chunk != null).map((s) => s.first)));
  const all = [...begin].toSorted((a, b) => a - b);
  // One chunk still moves.
  const last = Math.max(...lanes.flatMap((l) => l.stretches.filter((s) => s.chunk != null).map((s) => s.last)), 0);
  if (all.length > 0 && all.length < MOST) {
    const first = all[0]!;
    for (let k = 1; k < MOST; k += 1) all.push(Math.round(first + ((last - first) * k) / (MOST - 1)));
  }
  const frames = [...new Set(all)].toSorted((a, b) => a - b);
  const some = frames.length <= MOST ? frames : Array.from({ length: MOST }, (_, k) => frames[Math.floor((k * frames.length) / MOST)]!);
  return some.map((frame) => new Map(lanes.flatMap((l) => (at(l, frame) ? [[l.body, at(l, frame)!] as const] : []))));
}

/** A camera as one looks, filled by what is within boxes. */
function fitted(boxes: T.Box3[]): T.PerspectiveCamera {
  const camera = stage.camera.clone();
  const ball = boxes.reduce((all, b) => all.union(b), new T.Box3()).getBoundingSphere(new T.Sphere());
  const far = (2 * ball.radius) / Math.sin(T.MathUtils.degToRad(camera.fov / 2));
  camera.position.copy(ball.center).addScaledVector(new T.Vector3(0, 0, 1).applyQuaternion(camera.quaternion), far);
  [camera.aspect, camera.near, camera.far] = [WIDE / HIGH, far / 100, far * 10];
  camera.updateProjectionMatrix();
  camera.updateMatrixWorld();
  const seen = new T.Box2();
  for (const b of boxes) {
    for (let k = 0; k < 8; k += 1) {
      const corner = new T.Vector3(k & 1 ? b.max.x : b.min.x, k & 2 ? b.max.y : b.min.y, k & 4 ? b.max.z : b.min.z);
      const { x, y } = corner.project(camera);
      seen.expandByPoint(new T.Vector2(x, y));
    }
  }
  const size = seen.getSize(new T.Vector2());
  const middle = seen.getCenter(new T.Vector2());
  const larger = 1.84 / Math.max(size.x, size.y, 1e-6);
  const onto = new T.Matrix4().makeScale(larger, larger, 1).setPosition(-larger * middle.x, -larger * middle.y, 0);
  camera.projectionMatrix.premultiply(onto);
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
  return camera;
}

/** The pictures of a take beside each other as one; none where there are no frames, or too much of them. */
export async function film(lanes: Lane[], shapes: Record<string, Shape>): Promise<{ strip: string; count: number } | null> {
  const bodies = lanes.filter((l) => shapes[l.body]);
  const frames = framesOf(bodies).filter((f) => f.size > 0);
  const points = bodies.reduce((n, l) => n + shapes[l.body]!.placed.length / 3, 0);
  if (frames.length === 0 || points > POINTS) return null;
  const canvas = document.createElement('canvas');
  const strip = document.createElement('canvas');
  [strip.width, strip.height] = [WIDE * frames.length, HIGH];
  const onto = strip.getContext('2d');
  if (!onto) return null;
  const renderer = new T.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
  renderer.setSize(WIDE, HIGH, false);
  renderer.setClearColor('#7d8f92', 1);
  const scene = new T.Scene();
  const sun = new T.DirectionalLight('#fff1dc', 2.1);
  sun.position.set(-0.5, 0.95, 0.36);
  scene.add(sun, new T.HemisphereLight('#eaf1f4', '#8d7f64', 1.1));
  const dye = (body: string) => DYED[now.scene()?.bodies[body]?.dye ?? 'linen'];
  const layers = new Map(bodies.map((l) => [l.body, layerOf(shapes[l.body]!, true, dye(l.body), () => {})]));
  for (const l of layers.values()) scene.add(l.group);
  try {
    const put = async (places: Map<string, Place>) => {
      for (const [body, l] of layers) {
        const at = places.get(body);
        const chunk = at && (await fetchChunk(at.chunk));
        l.group.visible = !!chunk && writeFrame(chunk, at.slot, l.positions);
        if (!chunk || !l.group.visible) continue;
        if (l.turns) writeTurns(chunk, at.slot, l.turns);
        l.changed('true');
      }
    };
    const boxes: T.Box3[] = [];
    for (const places of frames) {
      await put(places);
      for (const l of layers.values()) if (l.group.visible) boxes.push(l.bounds().clone());
    }
    const camera = fitted(boxes);
    for (const [k, places] of frames.entries()) {
      await put(places);
      renderer.render(scene, camera);
      onto.drawImage(canvas, k * WIDE, 0);
    }
    return { strip: strip.toDataURL('image/png'), count: frames.length };
  } finally {
    for (const l of layers.values()) l.dispose();
    renderer.dispose();
    renderer.forceContextLoss();
  }
}
