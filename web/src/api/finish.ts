/** How a cloth is finished. Arrays as the server tells them; see `FinishHead`. */
import { http, told, type FinishHead } from './http';
import { readHead } from './shape';

/** Points are parts of those before, so many times over. */
export type PartsStep = { times: number; count: number; from: Uint32Array; points: Uint32Array; parts: Float32Array };
/** Points stand off to both sides of a surface: those over it first. */
export type ThickStep = { half: Float32Array; rest: Float32Array; surface: Uint32Array };
export type Finished = { steps: (PartsStep | ThickStep)[]; triangles: Uint32Array };

export async function readFinish(id: number, body: string, signal?: AbortSignal): Promise<Finished> {
  const path = { id, body };
  const bytes: ArrayBuffer = await told(
    http.GET('/api/projects/{id}/bodies/{body}/finish', { params: { path }, parseAs: 'arrayBuffer', signal: signal ?? null }),
  );
  const [head, start] = readHead<FinishHead>(bytes);
  let at = start;
  const words = (n: number) => new Uint32Array(bytes, (at += 4 * n) - 4 * n, n);
  const floats = (n: number) => new Float32Array(bytes, (at += 4 * n) - 4 * n, n);
  const steps = head.steps.map(({ points, times, parts, surface }) =>
    times > 0
      ? { times, count: points, from: words(points + 1), points: words(parts), parts: floats(parts) }
      : { half: floats(points), rest: floats(3 * points), surface: words(3 * surface) },
  );
  return { steps, triangles: words(3 * head.triangles) };
}

/** How many points come out of a step that so many go into. */
export const countAfter = (step: PartsStep | ThickStep) => ('half' in step ? 2 * step.half.length : step.count);

/** Numbers of points as those of what they are parts of, so many a point. */
export function spread({ from, points, parts, count }: PartsStep, of: ArrayLike<number>, size: number, out: Float32Array) {
  if (size === 3) {
    for (let k = 0; k < count; k++) {
      let [x, y, z] = [0, 0, 0];
      for (let j = from[k]!; j < from[k + 1]!; j++) {
        const [w, p] = [parts[j]!, 3 * points[j]!];
        x += w * of[p]!;
        y += w * of[p + 1]!;
        z += w * of[p + 2]!;
      }
      out[3 * k] = x;
      out[3 * k + 1] = y;
      out[3 * k + 2] = z;
    }
    return;
  }
  for (let k = 0; k < count; k++) {
    for (let c = 0; c < size; c++) {
      let sum = 0;
      for (let j = from[k]!; j < from[k + 1]!; j++) sum += parts[j]! * of[size * points[j]! + c]!;
      out[size * k + c] = sum;
    }
  }
}

/** Numbers of the computed points as those of the finished ones; those of what is under are the other way round where `turns`. */
export function through(f: Finished, of: ArrayLike<number>, size: number, turns = false): Float32Array {
  let now = Float32Array.from(of);
  for (const step of f.steps) {
    if ('half' in step) {
      const both = new Float32Array(2 * now.length);
      both.set(now);
      for (let k = 0; k < now.length; k++) both[now.length + k] = turns ? -now[k]! : now[k]!;
      now = both;
    } else
      for (let k = 0; k < step.times; k++) {
        const next = new Float32Array(size * step.count);
        spread(step, now, size, next);
        now = next;
      }
  }
  return now;
}

/** Where the finished points are when the computed ones are there, and their normals. */
export function finishedAt(f: Finished, computed: Float32Array): { at: Float32Array; up: Float32Array } {
  let at = computed;
  let up: Float32Array | null = null;
  for (const step of f.steps) {
    if ('half' in step) {
      const n = step.half.length;
      const own = new Float32Array(3 * n);
      faced(at, step.surface, own);
      const [over, under] = roomOf(step, at, own);
      const next = new Float32Array(6 * n);
      up = new Float32Array(6 * n);
      for (let k = 0; k < 3 * n; k++) {
        const p = (k / 3) | 0;
        next[k] = at[k]! + over[p]! * own[k]!;
        next[3 * n + k] = at[k]! - under[p]! * own[k]!;
        up[k] = own[k]!;
        up[3 * n + k] = -own[k]!;
      }
      at = next;
      if (step === f.steps[f.steps.length - 1]) roundRim(at, f.triangles.subarray(2 * step.surface.length), up);
    } else
      for (let k = 0; k < step.times; k++) {
        const next = new Float32Array(3 * step.count);
        spread(step, at, 3, next);
        at = next;
        up = null;
      }
  }
  if (!up) {
    up = new Float32Array(at.length);
    faced(at, f.triangles, up);
  }
  return { at, up };
}

/** Normals of both sides lean outwards at the rim: straight from one to the other there would be none between them. */
function roundRim(at: Float32Array, rim: Uint32Array, up: Float32Array) {
  const out = new Float32Array(at.length);
  faced(at, rim, out);
  for (const p of rim) {
    const [x, y, z] = [3 * p, 3 * p + 1, 3 * p + 2];
    if (out[x] === 0 && out[y] === 0 && out[z] === 0) continue;
    for (const k of [x, y, z]) {
      up[k] = 0.8 * up[k]! + 0.6 * out[k]!;
      // Each once.
      out[k] = 0;
    }
    const long = Math.hypot(up[x]!, up[y]!, up[z]!) || 1;
    for (const k of [x, y, z]) up[k]! /= long;
  }
}

/** As the core has them: `LEAST` and `APART` of `nematon_geometry::finish`. */
const LEAST = 0.2;
const APART = 3;

/** How far each point may stand off, over and under: as the core tells it, see `room` there. */
function roomOf({ half, rest, surface }: ThickStep, at: Float32Array, up: Float32Array): [Float32Array, Float32Array] {
  const over = half.slice();
  const under = half.slice();
  for (let k = 0; k < surface.length; k++) {
    const [p, q] = [surface[k]!, surface[k % 3 === 2 ? k - 2 : k + 1]!];
    let [long, bent] = [0, 0];
    for (let c = 0; c < 3; c++) {
      const d = at[3 * q + c]! - at[3 * p + c]!;
      long += d * d;
      bent += d * (up[3 * q + c]! - up[3 * p + c]!);
    }
    const most = ((1 - LEAST) * long) / Math.max(1e-30, Math.abs(bent));
    const side = bent > 0 ? under : over;
    if (most < side[p]!) side[p] = most;
    if (most < side[q]!) side[q] = most;
  }
  let widest = 0;
  for (const h of half) widest = Math.max(widest, 2 * h);
  if (widest <= 0) return [over, under];
  // Points by cells twice as wide as it is thick, as lists in one array: what is near one lies in two of them each way.
  const n = half.length;
  const mask = (1 << Math.ceil(Math.log2(2 * n + 1))) - 1;
  const per = 1 / (2 * widest);
  const head = new Int32Array(mask + 1).fill(-1);
  const next = new Int32Array(n);
  for (let k = 0; k < n; k++) {
    const [x, y, z] = [Math.floor(at[3 * k]! * per), Math.floor(at[3 * k + 1]! * per), Math.floor(at[3 * k + 2]! * per)];
    const h = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & mask;
    next[k] = head[h]!;
    head[h] = k;
  }
  const near = widest * widest;
  const apart = APART * APART * near;
  for (let p = 0; p < n; p++) {
    const [px, py, pz] = [at[3 * p]!, at[3 * p + 1]!, at[3 * p + 2]!];
    const [x0, y0, z0] = [Math.floor((px - widest) * per), Math.floor((py - widest) * per), Math.floor((pz - widest) * per)];
    const [x1, y1, z1] = [Math.floor((px + widest) * per), Math.floor((py + widest) * per), Math.floor((pz + widest) * per)];
    for (let x = x0; x <= x1; x++)
      for (let y = y0; y <= y1; y++)
        for (let z = z0; z <= z1; z++) {
          const h = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & mask;
          // Cells that share a list are met together: being met twice changes nothing.
          for (let q = head[h]!; q >= 0; q = next[q]!) {
            const [dx, dy, dz] = [at[3 * q]! - px, at[3 * q + 1]! - py, at[3 * q + 2]! - pz];
            const square = dx * dx + dy * dy + dz * dz;
            if (square >= near) continue;
            const [rx, ry, rz] = [rest[3 * q]! - rest[3 * p]!, rest[3 * q + 1]! - rest[3 * p + 1]!, rest[3 * q + 2]! - rest[3 * p + 2]!];
            if (rx * rx + ry * ry + rz * rz < apart) continue;
            const off = dx * up[3 * p]! + dy * up[3 * p + 1]! + dz * up[3 * p + 2]!;
            const far = Math.sqrt(square);
            const gap = 0.48 * (Math.abs(off) > 0.5 * far ? Math.abs(off) : far);
            const side = off < 0 ? under : over;
            if (gap < side[p]!) side[p] = gap;
          }
        }
  }
  return [over, under];
}

/** The normal of each point of a surface, by the areas about it. */
export function faced(positions: Float32Array, triangles: Uint32Array, out: Float32Array) {
  out.fill(0);
  const p = positions;
  for (let k = 0; k < triangles.length; k += 3) {
    const [a, b, c] = [3 * triangles[k]!, 3 * triangles[k + 1]!, 3 * triangles[k + 2]!];
    const [ux, uy, uz] = [p[b]! - p[a]!, p[b + 1]! - p[a + 1]!, p[b + 2]! - p[a + 2]!];
    const [vx, vy, vz] = [p[c]! - p[a]!, p[c + 1]! - p[a + 1]!, p[c + 2]! - p[a + 2]!];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    for (const at of [a, b, c]) {
      out[at]! += nx;
      out[at + 1]! += ny;
      out[at + 2]! += nz;
    }
  }
  for (let k = 0; k < out.length; k += 3) {
    const l = 1 / (Math.hypot(out[k]!, out[k + 1]!, out[k + 2]!) || 1);
    for (const c of [0, 1, 2]) out[k + c]! *= l;
  }
}
