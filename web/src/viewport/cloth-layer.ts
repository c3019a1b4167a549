/** A cloth: its surface seen from both sides, its wires, and the tree that finds what a ray meets first. */
import * as T from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Shape } from '../api/shape';
import { faced, type Finished } from '../api/finish';
import { NOISE } from './surfaces';
import type { BodyLayer } from './body-layer';
import { FinishedSurface } from './finished-surface';

/** What is drawn otherwise. */
const UNSEEN = new T.MeshBasicMaterial({ colorWrite: false, depthWrite: false });

/** How often the hollows are evened out over the mesh: folds some edges wide show as one. */
const EVEN = 3;

export class ClothLayer implements BodyLayer {
  readonly group = new T.Group();
  /** Places of the points on screen, metres; written by who has a frame, then `changed`. */
  readonly positions: Float32Array;
  private normals: Float32Array;
  /** How hollow it is about each point, seen from the side of its normal: 1 a deep fold, -1 a ridge. */
  private hollow: Float32Array;
  private spare: Float32Array;
  /** The points beside each point, one after the other, and where each point's begin. */
  private beside: Uint32Array;
  private from: Uint32Array;
  private surface: T.BufferGeometry;
  private wires = new T.BufferGeometry();
  private material: T.MeshStandardMaterial | T.MeshLambertMaterial;
  private lines: T.LineSegments;
  readonly mesh: T.Mesh;
  /** For each vertex drawn the point it stands at: a seam in the UVs doubles some. */
  private pointOf: Uint32Array;
  /** What the shader is told of the maps that are shown. */
  private dyes = { soakDye: { value: new T.Color() }, hatchDye: { value: new T.Color() }, shows: { value: new T.Vector2() } };
  /** Whether the dyed bands by its borders are seen: not over a picture. */
  private bands = { value: 1 };
  /** How wide the hem is, and how large a unit of the UVs is, metres; whether there is time for what is fine. */
  private cut = { hem: { value: 0 }, spread: { value: new T.Vector2(1, 1) }, fine: { value: 1 } };
  private soak: Float32Array | null = null;
  private picture: { from: string; texture: T.Texture } | null = null;
  private colour: string;
  private shown: 'true' | 'stale' | 'ghost' = 'ghost';
  private finish: { of: Finished; surface: FinishedSurface; mesh: T.Mesh } | null = null;
  private numbers: Map<string, number> | undefined;
  private tree: MeshBVH | null = null;
  private treeIsOld = true;

  /** `plain` where drawing is slow: a simpler light. `redraw` where it looks other by itself, when a picture has come. */
  constructor(
    private shape: Shape,
    plain: boolean,
    colour: string,
    private redraw: () => void,
  ) {
    this.colour = colour;
    const { triangles, uvTriangles, uvs } = shape;
    this.positions = shape.placed.slice();
    const points = this.positions.length / 3;
    this.normals = new Float32Array(this.positions.length);
    this.hollow = new Float32Array(points);
    this.spare = new Float32Array(points);
    const pairs = edges(triangles);
    [this.beside, this.from] = neighbours(pairs, points);
    const textured = uvTriangles.length > 0;
    const drawn = new Map<string, number>();
    const pointOf: number[] = [];
    const uvOf: number[] = [];
    const index = new Uint32Array(triangles.length);
    for (let k = 0; k < triangles.length; k++) {
      const key = textured ? `${triangles[k]}/${uvTriangles[k]}` : `${triangles[k]}`;
      let at = drawn.get(key);
      if (at === undefined) {
        at = pointOf.length;
        drawn.set(key, at);
        pointOf.push(triangles[k]!);
        const t = textured ? uvTriangles[k]! : 0;
        uvOf.push(textured ? uvs[2 * t]! : 0.5, textured ? uvs[2 * t + 1]! : 0.5);
      }
      index[k] = at;
    }
    this.pointOf = Uint32Array.from(pointOf);
    const g = new T.BufferGeometry();
    g.setIndex(new T.BufferAttribute(index, 1));
    const moving = (size: number) => new T.BufferAttribute(new Float32Array(size * pointOf.length), size).setUsage(T.DynamicDrawUsage);
    g.setAttribute('position', moving(3));
    g.setAttribute('normal', moving(3));
    g.setAttribute('hollow', moving(1));
    // Hatching runs across the rest shape, so that it stays on the threads.
    const whole = new T.Box3().setFromArray(shape.placed).getSize(new T.Vector3()).length() || 1;
    const across = pointOf.map(
      (p) => (55 * (shape.placed[3 * p]! + 0.9 * shape.placed[3 * p + 1]! + 0.8 * shape.placed[3 * p + 2]!)) / whole,
    );
    g.setAttribute('run', new T.BufferAttribute(new Float32Array(across), 1));
    g.setAttribute('soak', moving(1));
    g.setAttribute('hatch', moving(1));
    g.setAttribute('uv', new T.BufferAttribute(new Float32Array(uvOf), 2));
    const rims = rimOf(shape, pairs);
    g.setAttribute('rim', new T.BufferAttribute(new Float32Array(pointOf.map((p) => rims[p]!)), 1));
    this.cut.hem.value = Math.min(0.03, Math.max(0.005, 0.007 * whole));
    this.cut.spread.value.set(...spreadOf(shape));
    this.surface = g;
    const look = { color: colour, side: T.DoubleSide, shadowSide: T.DoubleSide };
    this.material = plain ? new T.MeshLambertMaterial(look) : new T.MeshStandardMaterial({ ...look, roughness: 0.94 });
    this.material.defines = { ...this.material.defines, USE_UV: '' };
    this.material.onBeforeCompile = (s) => {
      s.vertexShader = s.vertexShader
        .replace(
          '#include <common>',
          '#include <common>\nattribute float hollow;\nattribute float soak;\nattribute float hatch;\nattribute float run;\nattribute float rim;\nvarying float vHollow;\nvarying float vSoak;\nvarying float vHatch;\nvarying float vRun;\nvarying float vRim;',
        )
        .replace(
          '#include <begin_vertex>',
          '#include <begin_vertex>\nvHollow = hollow;\nvSoak = soak;\nvHatch = hatch;\nvRun = run;\nvRim = rim;',
        );
      Object.assign(s.uniforms, this.dyes, this.cut, { bands: this.bands });
      // Two dyed bands by the borders across v show that the texture travels with the threads. Less of the sky reaches
      // into a fold, from whichever side it is seen; a ridge has more.
      s.fragmentShader = s.fragmentShader
        .replace(
          '#include <common>',
          '#include <common>\nvarying float vHollow;\nvarying float vSoak;\nvarying float vHatch;\nvarying float vRun;\nvarying float vRim;\nuniform float hem;\nuniform vec2 spread;\nuniform float fine;\nuniform vec3 soakDye;\nuniform vec3 hatchDye;\nuniform vec2 shows;\nuniform float bands;\n' +
            NOISE,
        )
        .replace(
          '#include <color_fragment>',
          `#include <color_fragment>
        // The wrong side is a little darker and has less of the dye.
        if (!gl_FrontFacing) diffuseColor.rgb = 0.84 * mix(diffuseColor.rgb, vec3(dot(diffuseColor.rgb, vec3(0.3, 0.6, 0.1))), 0.2);
        if (fine > 0.5) {
          // Threads over and under each other, where they are wide enough to be seen; slubs along them from farther off.
          vec2 thread = vUv * spread / 0.0028;
          float small = max(fwidth(thread.x), fwidth(thread.y));
          float near = 1.0 - smoothstep(0.22, 0.6, small);
          if (near > 0.0) {
            vec2 c = cos(3.14159 * (fract(thread) - 0.5));
            bool over = mod(floor(thread.x) + floor(thread.y), 2.0) < 0.5;
            diffuseColor.rgb *= 1.0 + near * 0.34 * ((over ? c.x * (0.7 + 0.3 * c.y) : c.y * (0.7 + 0.3 * c.x)) - 0.62);
          }
          vec2 slub = vUv * spread;
          float there = 1.0 - smoothstep(0.003, 0.012, max(fwidth(slub.x), fwidth(slub.y)));
          if (there > 0.0) diffuseColor.rgb *= 1.0 + there * 0.07 * (cloudy(vec2(slub.x * 7.0, slub.y * 230.0)) + cloudy(vec2(slub.y * 7.0 + 31.0, slub.x * 230.0)) - 1.0);
          // The hem is folded twice, and sewn.
          if (vRim < hem) {
            float wide = fwidth(vRim);
            float sewn = 1.0 - smoothstep(0.4 * wide, 1.4 * wide, abs(vRim - 0.8 * hem));
            diffuseColor.rgb *= (0.93 - 0.2 * sewn * (1.0 - smoothstep(0.25, 0.8, wide / hem)));
          }
        }
        float edge = min(vUv.y, 1.0 - vUv.y);
        float soft = fwidth(vUv.y);
        float band = smoothstep(0.06 - soft, 0.06 + soft, edge) - smoothstep(0.085 - soft, 0.085 + soft, edge);
        band += 0.6 * (smoothstep(0.1 - soft, 0.1 + soft, edge) - smoothstep(0.107 - soft, 0.107 + soft, edge));
        diffuseColor.rgb = mix(diffuseColor.rgb, vec3(0.31, 0.1, 0.06), 0.55 * band * bands);
        // A map is dye that soaks in, with a thin line at each quarter; another is hatched over it, closer where it is more.
        if (shows.x > 0.5) {
          float soaked = clamp(vSoak, 0.0, 1.0);
          diffuseColor.rgb = mix(diffuseColor.rgb, soakDye, soaked);
          float step4 = fwidth(vSoak * 4.0);
          float near4 = abs(fract(vSoak * 4.0 + 0.5) - 0.5);
          float quarter = step4 > 1e-4 && vSoak > 0.1 ? 1.0 - smoothstep(0.6, 1.5, near4 / step4) : 0.0;
          diffuseColor.rgb = mix(diffuseColor.rgb, vec3(0.06, 0.08, 0.08), 0.6 * quarter);
        }
        if (shows.y > 0.5) {
          float line = step(fract(vRun), 0.1 + 0.5 * clamp(vHatch, 0.0, 1.0)) * step(0.02, vHatch);
          diffuseColor.rgb = mix(diffuseColor.rgb, hatchDye, 0.75 * line);
        }
        float deep = gl_FrontFacing ? vHollow : -vHollow;
        diffuseColor.rgb *= deep > 0.0 ? 1.0 - 0.5 * deep : 1.0 - 0.1 * deep;`,
        )
        // Fibres stand out of it: seen from the side there is a sheen.
        .replace(
          '#include <opaque_fragment>',
          `float aside = 1.0 - abs(dot(normalize(vViewPosition), normal));
        outgoingLight += 0.5 * aside * aside * aside * (0.6 * diffuseColor.rgb + vec3(0.05));
        #include <opaque_fragment>`,
        );
    };
    this.mesh = new T.Mesh(g, this.material);
    this.mesh.castShadow = true;
    this.mesh.receiveShadow = true;
    this.mesh.frustumCulled = false;
    this.wires.setAttribute('position', new T.BufferAttribute(this.positions, 3).setUsage(T.DynamicDrawUsage));
    this.wires.setIndex(new T.BufferAttribute(pairs, 1));
    const pencil = new T.LineBasicMaterial({ color: '#26312f', transparent: true, opacity: 0.42 });
    this.lines = new T.LineSegments(this.wires, pencil);
    this.lines.frustumCulled = false;
    this.lines.visible = false;
    this.group.add(this.mesh, this.lines);
    this.rest();
  }

  /** What is fine is left out while things move, where drawing is slow. */
  setBest(best: boolean) {
    this.cut.fine.value = best ? 1 : 0;
  }

  /** Draws it as it is finished; as it is computed where there is none. */
  setFinish(of: Finished | null) {
    if (this.finish?.of === of || (!of && !this.finish)) return;
    if (this.finish) this.group.remove(this.finish.mesh);
    this.finish?.surface.dispose();
    this.finish = null;
    this.mesh.material = this.material;
    const points = this.positions.length / 3;
    if (of && of.steps.every((s, k) => k > 0 || ('half' in s ? s.half.length <= points : s.points.every((p) => p < points)))) {
      // Of each computed point the first of the corners that are drawn for it.
      const corner = new Int32Array(points).fill(-1);
      this.pointOf.forEach((p, k) => (corner[p]! < 0 ? (corner[p] = k) : 0));
      const own = (name: string, size: number) => {
        const a = this.surface.getAttribute(name).array;
        const out = new Float32Array(size * points);
        for (let p = 0; p < points; p++) for (let c = 0; c < size; c++) out[size * p + c] = a[size * Math.max(0, corner[p]!) + c]!;
        return { of: out, size };
      };
      const surface = new FinishedSurface(of, {
        uv: own('uv', 2),
        run: own('run', 1),
        rim: own('rim', 1),
        soak: own('soak', 1),
        hatch: own('hatch', 1),
      });
      const mesh = new T.Mesh(surface.geometry, this.material);
      // The computed surface casts the shadow: it has a tenth of the triangles.
      mesh.receiveShadow = true;
      mesh.frustumCulled = false;
      this.finish = { of, surface, mesh };
      this.group.add(mesh);
      // Rays still meet what was computed.
      this.mesh.material = UNSEEN;
    }
    this.changed(this.shown);
  }

  setWire(on: boolean) {
    this.lines.visible = on;
    // The surface steps back a little so that its own wires are not lost in it.
    this.material.polygonOffset = on;
    this.material.polygonOffsetFactor = 1;
    this.material.polygonOffsetUnits = 1;
  }

  /** Shows a map as dye, and another as hatching; none of either where there is none. */
  setMaps(soak: { weights: Float32Array; colour: string } | null, hatch: { weights: Float32Array; colour: string } | null) {
    const fits = (m: typeof soak) => (m && m.weights.length * 3 === this.positions.length ? m : null);
    const both = [fits(soak), fits(hatch)] as const;
    this.dyes.shows.value.set(both[0] ? 1 : 0, both[1] ? 1 : 0);
    both.forEach((m, k) => {
      if (!m) return;
      const to = this.surface.getAttribute(k === 0 ? 'soak' : 'hatch') as T.BufferAttribute;
      (k === 0 ? this.dyes.soakDye : this.dyes.hatchDye).value.set(m.colour);
      for (let i = 0; i < this.pointOf.length; i++) to.array[i] = m.weights[this.pointOf[i]!]!;
      to.needsUpdate = true;
    });
    const was = this.soak !== null;
    this.soak = both[0]?.weights ?? null;
    if (was !== (this.soak !== null)) this.changed(this.shown);
  }

  /** What the map that is shown is at some points now. */
  soakAt(points: Uint32Array, weights: Float32Array) {
    if (!this.soak) return;
    const own = this.soak;
    points.forEach((p, k) => (own[p] = weights[k]!));
    const to = this.surface.getAttribute('soak') as T.BufferAttribute;
    for (let i = 0; i < this.pointOf.length; i++) to.array[i] = own[this.pointOf[i]!]!;
    to.needsUpdate = true;
  }

  /** Where a ray met the surface: the number of the triangle, as the server counts, and the shares of its corners. */
  touched(hit: T.Intersection): { triangle: number; shares: [number, number, number] } | null {
    if (hit.faceIndex == null) return null;
    const index = this.surface.getIndex()!;
    const corners = [0, 1, 2].map((k) => this.pointOf[index.getX(3 * hit.faceIndex! + k)]!) as [number, number, number];
    const [a, b, c] = corners.map((p) => new T.Vector3().fromArray(this.positions, 3 * p));
    const shares = new T.Triangle(a, b, c).getBarycoord(hit.point, new T.Vector3());
    this.numbers ??= numbered(this.shape.triangles);
    const triangle = this.numbers.get(corners.join());
    return shares && triangle !== undefined ? { triangle, shares: shares.toArray() } : null;
  }

  /** The map that is shown at a place that a ray met. */
  soakedAt(hit: T.Intersection): number | null {
    const at = this.touched(hit);
    if (!at || !this.soak) return null;
    const t = this.shape.triangles;
    return at.shares.reduce((sum, s, k) => sum + s * this.soak![t[3 * at.triangle + k]!]!, 0);
  }

  setDye(colour: string) {
    this.colour = colour;
    if (!this.material.map) this.material.color.set(colour);
  }

  setPicture(from: string | null) {
    if (from === (this.picture?.from ?? null)) return;
    this.lookDyed();
    this.picture?.texture.dispose();
    this.picture = null;
    if (from === null || this.shape.uvTriangles.length === 0) return;
    const texture = new T.TextureLoader().load(from, () => {
      if (this.picture?.texture !== texture) return;
      this.material.map = texture;
      this.material.color.set('#ffffff');
      this.bands.value = 0;
      this.material.needsUpdate = true;
      this.redraw();
    });
    texture.wrapS = texture.wrapT = T.RepeatWrapping;
    texture.colorSpace = T.SRGBColorSpace;
    texture.anisotropy = 4;
    this.picture = { from, texture };
  }

  private lookDyed() {
    if (!this.material.map) return;
    this.material.map = null;
    this.material.color.set(this.colour);
    this.bands.value = 1;
    this.material.needsUpdate = true;
  }

  /** The rest shape, as a ghost: there is no frame to show. */
  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  /** Takes in what was written to `positions`; what is finished is drawn from places that are evened out in time, where there are any. */
  changed(as: 'true' | 'stale' | 'ghost', steadied: Float32Array | null = null) {
    this.shown = as;
    // What is soaked is seen as it is, whatever the frame is.
    const solid = as === 'true' || this.soak !== null;
    if (this.material.transparent === solid) {
      this.material.transparent = !solid;
      this.material.needsUpdate = true;
    }
    this.material.opacity = solid ? 1 : as === 'stale' ? 0.8 : 0.55;
    this.treeIsOld = true;
    faced(this.positions, this.shape.triangles, this.normals);
    this.fold();
    const { positions: p, normals: n, hollow, pointOf } = this;
    const position = this.surface.getAttribute('position') as T.BufferAttribute;
    const normal = this.surface.getAttribute('normal') as T.BufferAttribute;
    const hollows = this.surface.getAttribute('hollow') as T.BufferAttribute;
    const [to, up, deep] = [position.array, normal.array, hollows.array];
    for (let k = 0; k < pointOf.length; k++) {
      const point = pointOf[k]!;
      const [q, o] = [3 * point, 3 * k];
      to[o] = p[q]!;
      to[o + 1] = p[q + 1]!;
      to[o + 2] = p[q + 2]!;
      up[o] = n[q]!;
      up[o + 1] = n[q + 1]!;
      up[o + 2] = n[q + 2]!;
      deep[k] = hollow[point]!;
    }
    position.needsUpdate = true;
    normal.needsUpdate = true;
    hollows.needsUpdate = true;
    if (this.lines.visible) this.wires.getAttribute('position').needsUpdate = true;
    this.finish?.surface.go(steadied ?? p, hollow);
  }

  /** How hollow it is about each point: how far the points beside it rise over its plane, by how far away they are. */
  private fold() {
    const { positions: p, normals: n, hollow, spare, beside, from } = this;
    for (let k = 0; k < hollow.length; k++) {
      let rise = 0;
      let way = 0;
      for (let j = from[k]!; j < from[k + 1]!; j++) {
        const q = 3 * beside[j]!;
        const x = p[q]! - p[3 * k]!;
        const y = p[q + 1]! - p[3 * k + 1]!;
        const z = p[q + 2]! - p[3 * k + 2]!;
        rise += x * n[3 * k]! + y * n[3 * k + 1]! + z * n[3 * k + 2]!;
        way += Math.hypot(x, y, z);
      }
      spare[k] = way > 0 ? rise / way : 0;
    }
    let [read, write] = [spare, hollow];
    for (let round = 0; round < EVEN; round++) {
      for (let k = 0; k < hollow.length; k++) {
        let sum = 2 * read[k]!;
        for (let j = from[k]!; j < from[k + 1]!; j++) sum += read[beside[j]!]!;
        write[k] = sum / (2 + from[k + 1]! - from[k]!);
      }
      [read, write] = [write, read];
    }
    for (let k = 0; k < hollow.length; k++) hollow[k] = Math.max(-1, Math.min(1, 7 * read[k]!));
  }

  /** Puts the tree where the surface is, for rays; made at the first of them. */
  ready() {
    if (!this.treeIsOld) return;
    this.treeIsOld = false;
    if (this.tree) this.tree.refit();
    else this.tree = new MeshBVH(this.surface);
    this.surface.boundsTree = this.tree;
  }

  bounds(): T.Box3 {
    return new T.Box3().setFromArray(this.positions);
  }

  dispose() {
    this.surface.dispose();
    this.finish?.surface.dispose();
    this.wires.dispose();
    this.material.dispose();
    this.picture?.texture.dispose();
    (this.lines.material as T.Material).dispose();
  }
}

/** How far each point is from the border, along edges at rest; what is farther than its neighbours' neighbours is far. */
function rimOf(shape: Shape, pairs: Uint32Array): Float32Array {
  const { triangles: t, placed: p } = shape;
  const used = new Map<number, number>();
  const key = (a: number, b: number) => Math.min(a, b) * 4_194_304 + Math.max(a, b);
  for (let k = 0; k < t.length; k++) {
    const e = key(t[k]!, t[k % 3 === 2 ? k - 2 : k + 1]!);
    used.set(e, (used.get(e) ?? 0) + 1);
  }
  const far = new Float32Array(p.length / 3).fill(1e3);
  for (let k = 0; k < pairs.length; k += 2) {
    if (used.get(key(pairs[k]!, pairs[k + 1]!)) === 1) far[pairs[k]!] = far[pairs[k + 1]!] = 0;
  }
  for (let round = 0; round < 3; round++) {
    for (let k = 0; k < pairs.length; k += 2) {
      const [a, b] = [pairs[k]!, pairs[k + 1]!];
      const long = Math.hypot(p[3 * a]! - p[3 * b]!, p[3 * a + 1]! - p[3 * b + 1]!, p[3 * a + 2]! - p[3 * b + 2]!);
      far[a] = Math.min(far[a]!, far[b]! + long);
      far[b] = Math.min(far[b]!, far[a]! + long);
    }
  }
  return far;
}

/** How many metres a unit of the UVs is, each way, in the mean. */
function spreadOf(shape: Shape): [number, number] {
  const { triangles: t, uvTriangles: w, uvs, placed: p } = shape;
  const sums = [0, 0];
  let all = 0;
  for (let k = 0; k + 2 < w.length; k += 3) {
    const [a, b, c] = [3 * t[k]!, 3 * t[k + 1]!, 3 * t[k + 2]!];
    const [d, e, f] = [2 * w[k]!, 2 * w[k + 1]!, 2 * w[k + 2]!];
    const [u1, v1, u2, v2] = [uvs[e]! - uvs[d]!, uvs[e + 1]! - uvs[d + 1]!, uvs[f]! - uvs[d]!, uvs[f + 1]! - uvs[d + 1]!];
    const area = u1 * v2 - u2 * v1;
    if (Math.abs(area) < 1e-12) continue;
    const along = (g: number, h: number) =>
      Math.hypot(...[0, 1, 2].map((x) => (g * (p[b + x]! - p[a + x]!) + h * (p[c + x]! - p[a + x]!)) / area));
    sums[0]! += Math.abs(area) * along(v2, -v1);
    sums[1]! += Math.abs(area) * along(-u2, u1);
    all += Math.abs(area);
  }
  return all > 0 ? [sums[0]! / all, sums[1]! / all] : [1, 1];
}

/** The number of each triangle by its corners. */
function numbered(triangles: Uint32Array): Map<string, number> {
  const out = new Map<string, number>();
  for (let k = 0; k < triangles.length; k += 3) out.set(`${triangles[k]},${triangles[k + 1]},${triangles[k + 2]}`, k / 3);
  return out;
}

/** Each edge once. */
function edges(triangles: Uint32Array): Uint32Array {
  const seen = new Set<number>();
  const out: number[] = [];
  for (let k = 0; k < triangles.length; k++) {
    const [a, b] = [triangles[k]!, triangles[k % 3 === 2 ? k - 2 : k + 1]!];
    const key = Math.min(a, b) * 4_194_304 + Math.max(a, b);
    if (!seen.has(key)) {
      seen.add(key);
      out.push(a, b);
    }
  }
  return Uint32Array.from(out);
}

function neighbours(pairs: Uint32Array, points: number): [Uint32Array, Uint32Array] {
  const from = new Uint32Array(points + 1);
  for (const p of pairs) from[p + 1]! += 1;
  for (let k = 0; k < points; k++) from[k + 1]! += from[k]!;
  const next = from.slice();
  const beside = new Uint32Array(pairs.length);
  for (let k = 0; k < pairs.length; k += 2) {
    const [a, b] = [pairs[k]!, pairs[k + 1]!];
    beside[next[a]!++] = b;
    beside[next[b]!++] = a;
  }
  return [beside, from];
}
