/** Plants as a mesh: one geometry, drawn once a plant, carried by its segments. The rule is that of `crates/geometry/src/plant/limbs.rs`; what changes
 * here changes there. */
import * as T from 'three';
import { STANDS, type Limbs } from '../api/limbs';
import type { Shape } from '../api/shape';

/** Points in a row of the texture that has what each segment does: how it is turned, and where it moves to. */
const ROW = 512;
const CARRIED = `
uniform sampler2D limbs;
attribute vec4 joints;
attribute vec4 shares;
attribute float first;
vec3 spun(vec4 q, vec3 v) {
  return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v);
}
void carry(float joint, float share, inout vec3 at, inout vec3 across) {
  int k = int(first + joint);
  ivec2 cell = ivec2(2 * (k % ${ROW}), k / ${ROW});
  vec4 turn = texelFetch(limbs, cell, 0);
  vec4 move = texelFetch(limbs, cell + ivec2(1, 0), 0);
  at += share * (move.xyz + move.w * spun(turn, position));
  across += share * spun(turn, normal);
}`;
const PLACED = `
vec3 transformed = vec3(0.0);
vec3 objectNormal = vec3(0.0);
carry(joints.x, shares.x, transformed, objectNormal);
if (shares.y > 0.0) carry(joints.y, shares.y, transformed, objectNormal);
if (shares.z > 0.0) carry(joints.z, shares.z, transformed, objectNormal);
if (shares.w > 0.0) carry(joints.w, shares.w, transformed, objectNormal);
objectNormal = normalize(objectNormal + vec3(0.0, 1e-9, 0.0));`;

export class LimbLayer {
  readonly drawn: T.Mesh;
  private texture: T.DataTexture;
  private material: T.MeshLambertMaterial;
  /** The first point of each plant. */
  private first: number[] = [];
  /** How each segment is turned from how it rests. */
  private turns: T.Quaternion[];

  constructor(
    private shape: Shape,
    private limbs: Limbs,
  ) {
    const points = shape.head.points;
    const rows = Math.max(1, Math.ceil(points / ROW));
    this.texture = new T.DataTexture(new Float32Array(8 * ROW * rows), 2 * ROW, rows, T.RGBAFormat, T.FloatType);
    this.turns = Array.from({ length: points }, () => new T.Quaternion());
    let from = 0;
    for (const count of shape.strands) {
      this.first.push(from);
      from += count;
    }
    const g = new T.InstancedBufferGeometry();
    const plain = new T.BufferGeometry();
    plain.setAttribute('position', new T.BufferAttribute(limbs.positions, 3));
    plain.setIndex(new T.BufferAttribute(limbs.triangles, 1));
    plain.computeVertexNormals();
    g.setAttribute('position', plain.getAttribute('position'));
    g.setAttribute('normal', plain.getAttribute('normal'));
    g.setAttribute('joints', new T.BufferAttribute(Float32Array.from(limbs.joints), 4));
    g.setAttribute('shares', new T.BufferAttribute(limbs.shares, 4));
    g.setAttribute('first', new T.InstancedBufferAttribute(Float32Array.from(this.first), 1));
    g.setIndex(plain.index);
    g.instanceCount = this.first.length;
    const follow = (s: T.WebGLProgramParametersWithUniforms) => {
      s.uniforms.limbs = { value: this.texture };
      s.vertexShader = s.vertexShader
        .replace('#include <common>', `#include <common>${CARRIED}`)
        .replace('#include <uv_vertex>', PLACED)
        .replace('#include <beginnormal_vertex>', '')
        .replace('#include <begin_vertex>', '');
    };
    this.material = new T.MeshLambertMaterial({ side: T.DoubleSide, forceSinglePass: true });
    this.material.onBeforeCompile = follow;
    this.material.customProgramCacheKey = () => 'limbs';
    const depth = new T.MeshDepthMaterial({ depthPacking: T.RGBADepthPacking, side: T.DoubleSide });
    depth.onBeforeCompile = follow;
    depth.customProgramCacheKey = () => 'limbs';
    this.drawn = new T.Mesh(g, this.material);
    this.drawn.customDepthMaterial = depth;
    this.drawn.castShadow = this.drawn.receiveShadow = true;
    this.drawn.frustumCulled = false;
  }

  get materials(): T.MeshLambertMaterial[] {
    return [this.material];
  }

  setDye(colour: string) {
    this.material.color.set(colour);
  }

  /** Goes along with segments that are there now; what one carried that is gone shrinks to where it hung. */
  set(now: Float32Array) {
    const { placed, up, strands } = this.shape;
    const to = this.texture.image.data as Float32Array;
    const [was, is, off, turn] = [new T.Vector3(), new T.Vector3(), new T.Vector3(), new T.Quaternion()];
    const way = (out: T.Vector3, of: Float32Array, a: number, b: number) =>
      out.set(of[3 * b]! - of[3 * a]!, of[3 * b + 1]! - of[3 * a + 1]!, of[3 * b + 2]! - of[3 * a + 2]!);
    for (const [plant, first] of this.first.entries()) {
      const stands = this.limbs.plants.subarray(STANDS * plant, STANDS * (plant + 1));
      const own = new T.Quaternion(stands[3], stands[4], stands[5], stands[6]);
      this.turns[first]!.identity();
      for (let k = first + 1; k < first + strands[plant]!; k++) {
        const u = first + up[k]!;
        const q = this.turns[k]!.copy(this.turns[u]!);
        const gone = Number.isNaN(now[3 * k]!);
        if (!gone) {
          way(was, placed, u, k).applyQuaternion(q);
          way(is, now, u, k);
          if (was.lengthSq() > 0 && is.lengthSq() > 0) q.premultiply(turn.setFromUnitVectors(was.normalize(), is.normalize())).normalize();
        }
        off.set(stands[0]! - placed[3 * u]!, stands[1]! - placed[3 * u + 1]!, stands[2]! - placed[3 * u + 2]!).applyQuaternion(q);
        turn.multiplyQuaternions(q, own);
        const at = 8 * k;
        to[at] = turn.x;
        to[at + 1] = turn.y;
        to[at + 2] = turn.z;
        to[at + 3] = turn.w;
        for (let c = 0; c < 3; c++) to[at + 4 + c] = now[3 * u + c]! + (gone ? 0 : off.getComponent(c));
        to[at + 7] = gone ? 0 : stands[7]!;
      }
    }
    this.texture.needsUpdate = true;
  }

  dispose() {
    this.drawn.geometry.dispose();
    (this.drawn.customDepthMaterial as T.Material).dispose();
    this.material.dispose();
    this.texture.dispose();
  }
}
