/** Hairs between strands: where each is follows from the strands about it in the shader, by the rule of `crates/geometry/src/hairs.rs`; what changes
 * there changes here. */
import * as T from 'three';
import type { Hairs } from '../api/hairs';
import type { Shape } from '../api/shape';
import { fade } from './fade';
import { measured, PlacesTexture, ribbonUniforms, shine, strip, weave } from './ribbon';

/** What all hairs of a body have in common, as the scene says it. */
export type HairLook = {
  clump: number;
  shorter: number;
  stray: number;
  windings: number;
  winding_radius: number;
  diameter: number;
  taper: number;
};

/** Corners that are drawn at most while things move in software; then there are fewer hairs, and wider ones. */
const QUICK = 24_000;
const WIDER = 3;

const TOLD = `${PlacesTexture.told}
attribute vec3 strands;
attribute vec3 shares;
attribute vec3 off;
attribute vec4 dice;
attribute vec3 restWay;
uniform int points;
uniform float clump, shorter, stray, windings, windingRadius, thick, taper, wider;
vec3 placeOf(float strand, int k) {
  return placeAt(int(strand) * points + k);
}
vec3 turned(vec3 from, vec3 to, vec3 v) {
  vec4 q = vec4(cross(from, to), 1.0 + dot(from, to));
  if (q.w < 1e-5) return -v;
  q = normalize(q);
  return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v);
}`;
const FOUND = `
float share = position.y / float(points - 1);
float along = position.y * (1.0 - shorter * dice.x);
int from = min(int(along), points - 2);
float rest = along - float(from);
vec3 first = placeOf(strands.x, 0);
vec3 nowWay = normalize(placeOf(strands.x, 1) - first);
vec3 a0 = placeOf(strands.x, from), b0 = placeOf(strands.x, from + 1);
vec3 a1 = placeOf(strands.y, from), b1 = placeOf(strands.y, from + 1);
vec3 a2 = placeOf(strands.z, from), b2 = placeOf(strands.z, from + 1);
vec3 beside = mix(a0, b0, rest);
vec3 at = turned(restWay, nowWay, off) + shares.x * beside + shares.y * mix(a1, b1, rest) + shares.z * mix(a2, b2, rest);
vec3 way = normalize(shares.x * (b0 - a0) + shares.y * (b1 - a1) + shares.z * (b2 - a2) + vec3(0.0, 1e-9, 0.0));
at = mix(at, beside, clump * share * share * (3.0 - 2.0 * share));
vec3 one = turned(restWay, nowWay, vec3(0.36, 0.48, 0.8));
one = normalize(one - way * dot(one, way));
vec3 two = cross(way, one);
float turn = 6.2831853;
float grown = min(share / 0.25, 1.0);
float phase = turn * (windings * share + dice.y);
float wound = windings > 0.0 ? windingRadius * grown : 0.0;
float astray = 0.5 * stray * share;
vec2 wave = sin(turn * (vec2(1.7, 3.1) * share + dice.zw)) - sin(turn * dice.zw);
at += one * (wound * cos(phase) + astray * wave.x) + two * (wound * sin(phase) + astray * wave.y);
// It goes along what it winds by too.
float by = wound * turn * windings / max(1e-6, length(b0 - a0) * float(points - 1));
way = normalize(way + by * (two * cos(phase) - one * sin(phase)));
float wide = 0.5 * thick * wider * (1.0 - taper * share);
float thin = mix(1.0, 0.35, share);`;

export class HairLayer {
  readonly drawn: T.Mesh;
  private geometry: T.InstancedBufferGeometry;
  private material: T.MeshLambertMaterial;
  private uniforms: Record<string, { value: unknown }> & ReturnType<typeof ribbonUniforms>;
  private count: number;
  private points: number;

  /** `places` has where the strands are. */
  constructor(shape: Shape, hairs: Hairs, places: PlacesTexture, colour: string) {
    const points = (this.points = shape.strands[0] ?? 2);
    this.count = hairs.head.hairs;
    this.uniforms = {
      ...ribbonUniforms(),
      places: { value: places.texture },
      points: { value: points },
      clump: { value: 0 },
      shorter: { value: 0 },
      stray: { value: 0 },
      windings: { value: 0 },
      windingRadius: { value: 0 },
      thick: { value: 0.0001 },
      taper: { value: 0 },
      wider: { value: 1 },
    };
    const g = (this.geometry = strip(points));
    const ways = new Float32Array(3 * this.count);
    const way = new T.Vector3();
    for (let h = 0; h < this.count; h++) {
      const root = 3 * points * hairs.strands[3 * h]!;
      const p = shape.placed;
      way.set(p[root + 3]! - p[root]!, p[root + 4]! - p[root + 1]!, p[root + 5]! - p[root + 2]!).normalize();
      way.toArray(ways, 3 * h);
    }
    const each = (name: string, of: Float32Array, size: number) => g.setAttribute(name, new T.InstancedBufferAttribute(of, size));
    each('strands', Float32Array.from(hairs.strands), 3);
    each('shares', hairs.shares, 3);
    each('off', hairs.off, 3);
    each('dice', hairs.dice, 4);
    each('restWay', ways, 3);
    this.material = new T.MeshLambertMaterial({ color: colour, side: T.DoubleSide, forceSinglePass: true });
    this.material.onBeforeCompile = (s) => {
      weave(s, this.uniforms, TOLD, FOUND);
      shine(s);
    };
    this.drawn = new T.Mesh(g, this.material);
    this.drawn.receiveShadow = true;
    this.drawn.frustumCulled = false;
    this.drawn.onBeforeRender = measured(this.uniforms);
    this.setBest(true);
  }

  setLook(look: HairLook) {
    const u = this.uniforms;
    u['clump']!.value = look.clump;
    u['shorter']!.value = look.shorter;
    u['stray']!.value = look.stray;
    u['windings']!.value = look.windings;
    u['windingRadius']!.value = look.winding_radius;
    u['thick']!.value = look.diameter;
    u['taper']!.value = look.taper;
  }

  setDye(colour: string) {
    this.material.color.set(colour);
  }

  setWire(on: boolean) {
    this.material.wireframe = on;
  }

  /** All of them, or as many as can be drawn while things move. */
  setBest(best: boolean) {
    const shown = best ? this.count : Math.min(this.count, Math.max(1, Math.floor(QUICK / (2 * this.points))));
    this.geometry.instanceCount = shown;
    this.uniforms['wider']!.value = Math.min(WIDER, Math.sqrt(this.count / Math.max(1, shown)));
  }

  /** The strands have gone elsewhere. */
  changed(as: 'true' | 'stale' | 'ghost') {
    fade(this.material, as);
  }

  dispose() {
    this.geometry.dispose();
    this.material.dispose();
  }
}
