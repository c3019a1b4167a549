/** Plants: wood as ribbons, leaves as small folded plates that go with their stalks, heads as balls. */
import * as T from 'three';
import type { Limbs } from '../api/limbs';
import type { Shape } from '../api/shape';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';
import { LimbLayer } from './limb-layer';
import { boundsOf, presentOf } from './present';
import { measured, PlacesTexture, ribbonUniforms, weave } from './ribbon';

/** Of a corner of wood: the points of its segment, which of them it is at, and how thick it is there. */
const WOOD = `${PlacesTexture.told}
attribute vec4 segment;`;
const WOOD_AT = `
vec4 from = pointAt(int(segment.x)), to = pointAt(int(segment.y));
vec3 at = segment.z > 0.5 ? to.xyz : from.xyz;
vec3 way = normalize(to.xyz - from.xyz + vec3(0.0, 1e-9, 0.0));
float share = 1.0;
float wide = to.w > 0.5 ? segment.w : -1.0;
float thin = 0.8;`;
/** Of a corner of a leaf: its point, that which its stalk comes from, and that before; how long and wide it is; and where on it the corner is. */
const LEAF = `${PlacesTexture.told}
attribute vec3 stalk;
attribute vec4 blade;`;
const LEAF_AT = `
vec4 leaf = pointAt(int(stalk.x));
vec3 knot = pointAt(int(stalk.y)).xyz;
vec3 way = normalize(leaf.xyz - knot + vec3(0.0, 1e-9, 0.0));
vec3 stem = knot - pointAt(int(stalk.z)).xyz;
vec3 face = stem - dot(stem, way) * way;
face = length(face) > 1e-9 ? normalize(face) : normalize(cross(way, vec3(0.31, 0.2, 0.93)));
vec3 aside = cross(way, face);
float there = leaf.w > 0.5 ? 1.0 : 0.0;
// Its sides are lifted a little, so that light tells them apart.
vec3 objectNormal = normalize(face - 0.45 * sign(blade.w) * aside);
vec3 transformed = leaf.xyz + there * (blade.x * blade.z * way + blade.y * (blade.w * aside + 0.22 * abs(blade.w) * face));`;
/** Of a corner of a head: its point and where on the ball it is. */
const HEAD = `${PlacesTexture.told}
attribute vec2 head;`;
const HEAD_AT = `
vec3 objectNormal = position;
vec3 transformed = pointAt(int(head.x)).xyz + head.y * position;`;

/** Puts where corners are into a shader of the library's. */
function follow(s: T.WebGLProgramParametersWithUniforms, uniforms: object, told: string, found: string) {
  Object.assign(s.uniforms, uniforms);
  s.vertexShader = s.vertexShader
    .replace('#include <common>', `#include <common>${told}`)
    .replace('#include <uv_vertex>', found)
    .replace('#include <beginnormal_vertex>', '')
    .replace('#include <begin_vertex>', '');
}

export class PlantLayer implements BodyLayer {
  readonly group = new T.Group();
  /** Nothing that a ray could meet: stems are thinner than a pointer. */
  readonly mesh = new T.Mesh(new T.BufferGeometry());
  readonly positions: Float32Array;
  private places: PlacesTexture;
  private uniforms: ReturnType<typeof ribbonUniforms> & { places: { value: T.Texture } };
  private materials: T.MeshLambertMaterial[] = [];
  private parts: { drawn: T.Mesh; tone: number }[] = [];
  /** How much of the wood is drawn while things move: all but the stalks of leaves. */
  private stems = 0;
  /** In place of all that, where they are as a mesh. */
  private limbs: LimbLayer | null = null;
  private of: Limbs | null = null;
  private state: 'true' | 'stale' | 'ghost' = 'ghost';

  constructor(
    readonly shape: Shape,
    private colour: string,
  ) {
    this.positions = shape.placed.slice();
    this.places = new PlacesTexture(shape.head.points);
    this.uniforms = { ...ribbonUniforms(), places: { value: this.places.texture } };
    const up = this.ups();
    const [stems, all] = wood(shape, up);
    this.stems = stems;
    this.add(all, WOOD, WOOD_AT, -0.3, weave);
    this.add(leaves(shape, up), LEAF, LEAF_AT, 0, follow);
    this.add(heads(shape), HEAD, HEAD_AT, 0.35, follow);
    this.setDye(colour);
    this.rest();
  }

  /** The point before each; of a root itself. */
  private ups(): Uint32Array {
    const { strands, up } = this.shape;
    const out = new Uint32Array(this.shape.head.points);
    let from = 0;
    for (const count of strands) {
      for (let k = 0; k < count; k++) out[from + k] = from + up[from + k]!;
      from += count;
    }
    return out;
  }

  private add(g: T.BufferGeometry, told: string, found: string, tone: number, into: typeof weave) {
    if (!g.index || g.index.count === 0) return;
    const material = new T.MeshLambertMaterial({ side: T.DoubleSide, forceSinglePass: true });
    material.onBeforeCompile = (s) => into(s, this.uniforms, told, found);
    material.customProgramCacheKey = () => told;
    const depth = new T.MeshDepthMaterial({ depthPacking: T.RGBADepthPacking, side: T.DoubleSide });
    if (into === weave) depth.defines = { FROM_SUN: '' };
    depth.onBeforeCompile = (s) => into(s, this.uniforms, told, found);
    depth.customProgramCacheKey = () => told;
    const drawn = new T.Mesh(g, material);
    drawn.customDepthMaterial = depth;
    drawn.castShadow = drawn.receiveShadow = true;
    drawn.frustumCulled = false;
    drawn.onBeforeRender = measured(this.uniforms);
    this.materials.push(material);
    this.parts.push({ drawn, tone });
    this.group.add(drawn);
  }

  /** Shows them as a mesh, once there is one. */
  setLimbs(of: Limbs | null) {
    if (of === this.of) return;
    this.of = of;
    if (this.limbs) this.group.remove(this.limbs.drawn);
    this.limbs?.dispose();
    this.limbs = of && of.head.plants === this.shape.strands.length ? new LimbLayer(this.shape, of) : null;
    this.parts.forEach(({ drawn }) => (drawn.visible = !this.limbs));
    if (!this.limbs) return;
    this.group.add(this.limbs.drawn);
    this.limbs.setDye(this.colour);
    this.changed(this.state);
  }

  setBest(best: boolean) {
    this.parts[0]?.drawn.geometry.setDrawRange(0, best ? Infinity : this.stems);
  }

  private all() {
    return [...this.materials, ...(this.limbs?.materials ?? [])];
  }

  setWire(on: boolean) {
    this.all().forEach((m) => (m.wireframe = on));
  }

  setDye(colour: string) {
    this.colour = colour;
    for (const [k, { tone }] of this.parts.entries()) {
      const to = new T.Color(tone < 0 ? '#5a4632' : '#efe2c4');
      this.materials[k]!.color.set(this.colour).lerp(to, Math.abs(tone));
    }
    this.limbs?.setDye(colour);
  }

  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  changed(as: 'true' | 'stale' | 'ghost') {
    this.state = as;
    this.all().forEach((m) => fade(m, as));
    if (this.limbs) this.limbs.set(this.positions);
    else this.places.set(this.positions);
  }

  there(): number {
    return presentOf(this.positions);
  }

  ready() {}

  bounds(): T.Box3 {
    return boundsOf(this.positions);
  }

  dispose() {
    this.parts.forEach(({ drawn }) => {
      drawn.geometry.dispose();
      (drawn.customDepthMaterial as T.Material).dispose();
    });
    this.materials.forEach((m) => m.dispose());
    this.limbs?.dispose();
    this.mesh.geometry.dispose();
    this.places.texture.dispose();
  }
}

const isLeaf = (s: Shape, k: number) => s.ends.length > 0 && s.ends[2 * k + 1]! > 0;

/** A strip for each segment of wood, and then for the stalks of leaves; and how many corners there are before those. */
function wood(s: Shape, up: Uint32Array): [number, T.BufferGeometry] {
  const [side, told, index]: [number[], number[], number[]] = [[], [], []];
  const all = Array.from(up.keys()).filter((k) => up[k] !== k);
  const stems = all.filter((k) => !isLeaf(s, k));
  for (const k of [...stems, ...all.filter((k) => isLeaf(s, k))]) {
    const first = side.length / 3;
    // It begins as thick as what it goes on from ends, where that is no thicker than it.
    const near = Math.min(s.radii[up[k]!]!, 1.15 * s.radii[k]!);
    for (const [end, thick] of [
      [0, near],
      [1, s.radii[k]!],
    ] as const)
      for (const x of [-1, 1]) {
        side.push(x, 0, 0);
        told.push(up[k]!, k, end, thick);
      }
    index.push(first, first + 1, first + 3, first, first + 3, first + 2);
  }
  return [6 * stems.length, geometry(side, { segment: [told, 4] }, index)];
}

/** Corners of a leaf: how far along it, as a share from its middle, and how far aside. */
const CORNERS = [
  [-0.5, 0],
  [-0.08, 0],
  [-0.08, 0.5],
  [-0.08, -0.5],
  [0.5, 0],
] as const;
/** Both halves have corners of their own along the middle, for they are lit apart. */
const HALVES = [0.5, -0.5].map((half) => CORNERS.map(([u, v]) => [u, v === 0 ? half * 1e-4 : v] as const));
const SIDES = [
  [0, 1, 2],
  [1, 4, 2],
] as const;

function leaves(s: Shape, up: Uint32Array): T.BufferGeometry {
  const [stalk, blade, index]: [number[], number[], number[]] = [[], [], []];
  for (let k = 0; k < up.length; k++) {
    if (!isLeaf(s, k)) continue;
    for (const [h, half] of HALVES.entries()) {
      const first = stalk.length / 3;
      const own = half.filter(([, v]) => (h === 0 ? v > 0 : v < 0));
      for (const [u, v] of own) {
        stalk.push(k, up[k]!, up[up[k]!]!);
        blade.push(s.ends[2 * k]!, s.ends[2 * k + 1]!, u, v);
      }
      // Its root, its middle, its side and its tip, in that order.
      const [root, middle, out, tip] = [0, 1, 2, 3].map((j) => first + j) as [number, number, number, number];
      for (const t of SIDES) index.push(...t.map((j) => [root, middle, out, out, tip][j]!));
    }
  }
  return geometry(
    stalk.map(() => 0),
    { stalk: [stalk, 3], blade: [blade, 4] },
    index,
  );
}

/** A ball of eight faces, lit as if it were round. */
const POLES = [
  [1, 0, 0],
  [-1, 0, 0],
  [0, 1, 0],
  [0, -1, 0],
  [0, 0, 1],
  [0, 0, -1],
] as const;
const EIGHT = [0, 2, 4, 4, 2, 1, 1, 2, 5, 5, 2, 0, 4, 3, 0, 1, 3, 4, 5, 3, 1, 0, 3, 5];

function heads(s: Shape): T.BufferGeometry {
  const [at, told, index]: [number[], number[], number[]] = [[], [], []];
  for (let k = 0; 2 * k < s.ends.length; k++) {
    if (isLeaf(s, k) || s.ends[2 * k] === 0) continue;
    const first = at.length / 3;
    for (const p of POLES) {
      at.push(...p);
      told.push(k, 0.55 * s.ends[2 * k]!);
    }
    index.push(...EIGHT.map((j) => first + j));
  }
  return geometry(at, { head: [told, 2] }, index);
}

function geometry(position: number[], more: Record<string, [number[], number]>, index: number[]): T.BufferGeometry {
  const g = new T.BufferGeometry();
  g.setAttribute('position', new T.Float32BufferAttribute(position, 3));
  for (const [name, [numbers, size]] of Object.entries(more)) g.setAttribute(name, new T.Float32BufferAttribute(numbers, size));
  g.setIndex(index);
  return g;
}
