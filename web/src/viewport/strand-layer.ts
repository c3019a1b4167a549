/** Strands: each segment a ribbon as wide as the strand; and the hairs between them, where there are any. */
import * as T from 'three';
import type { Hairs } from '../api/hairs';
import type { Shape } from '../api/shape';
import type { StrandsAs } from '../state/view';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';
import { HairLayer, type HairLook } from './hair-layer';
import { measured, ribbonUniforms, shine, weave } from './ribbon';

const TOLD = `
attribute vec3 root;
attribute vec3 tip;
attribute vec2 thick;
attribute vec2 reach;`;
const FOUND = `
vec3 at = mix(root, tip, position.y);
vec3 way = normalize(tip - root + vec3(0.0, 1e-9, 0.0));
float share = mix(reach.x, reach.y, position.y);
float wide = thick.x < 0.0 ? -1.0 : mix(thick.x, thick.y, position.y);
float thin = 1.0;`;
/** Of strands that are shown a few of, every so many-th. */
const FEW = 4;

export class StrandLayer implements BodyLayer {
  readonly group = new T.Group();
  /** Nothing that a ray could meet: strands are thinner than a pointer. */
  readonly mesh = new T.Mesh(new T.BufferGeometry());
  readonly positions: Float32Array;
  private drawn: T.Mesh;
  private places: T.InstancedInterleavedBuffer;
  private thick: T.InstancedBufferAttribute;
  private widths: Float32Array;
  private material: T.MeshLambertMaterial;
  private depth: T.MeshDepthMaterial;
  private uniforms = ribbonUniforms();
  private hairs: HairLayer | null = null;
  private of: Hairs | null = null;
  private as: StrandsAs = 'hairs';
  private state: 'true' | 'stale' | 'ghost' = 'ghost';
  private best = true;

  constructor(
    readonly shape: Shape,
    private colour: string,
  ) {
    this.positions = shape.placed.slice();
    const points = shape.head.points;
    const g = new T.InstancedBufferGeometry();
    g.setAttribute('position', new T.BufferAttribute(new Float32Array([-1, 0, 0, 1, 0, 0, 1, 1, 0, -1, 1, 0]), 3));
    g.setIndex([0, 1, 2, 0, 2, 3]);
    // A segment goes from a point to the next: both are read from the one array.
    this.places = new T.InstancedInterleavedBuffer(this.positions, 3, 1).setUsage(T.DynamicDrawUsage) as T.InstancedInterleavedBuffer;
    g.setAttribute('root', new T.InterleavedBufferAttribute(this.places, 3, 0));
    g.setAttribute('tip', new T.InterleavedBufferAttribute(this.places, 3, 3));
    this.widths = new Float32Array(2 * points);
    const reach = new Float32Array(2 * points);
    let from = 0;
    for (const count of shape.strands) {
      for (let k = 0; k < count; k++) {
        const at = from + k;
        const last = k === count - 1;
        this.widths.set(last ? [-1, 0] : [shape.radii[at]!, shape.radii[at + 1]!], 2 * at);
        reach.set([k / (count - 1), Math.min(1, (k + 1) / (count - 1))], 2 * at);
      }
      from += count;
    }
    this.thick = new T.InstancedBufferAttribute(this.widths.slice(), 2);
    g.setAttribute('thick', this.thick);
    g.setAttribute('reach', new T.InstancedBufferAttribute(reach, 2));
    g.instanceCount = Math.max(0, points - 1);
    this.material = new T.MeshLambertMaterial({ color: colour, side: T.DoubleSide });
    this.material.onBeforeCompile = (s) => {
      weave(s, this.uniforms, TOLD, FOUND);
      shine(s);
    };
    this.depth = new T.MeshDepthMaterial({ depthPacking: T.RGBADepthPacking, side: T.DoubleSide });
    this.depth.defines = { FROM_SUN: '' };
    this.depth.onBeforeCompile = (s) => weave(s, this.uniforms, TOLD, FOUND);
    this.drawn = new T.Mesh(g, this.material);
    this.drawn.customDepthMaterial = this.depth;
    this.drawn.castShadow = this.drawn.receiveShadow = true;
    this.drawn.frustumCulled = false;
    this.drawn.onBeforeRender = measured(this.uniforms);
    this.group.add(this.drawn);
    this.rest();
  }

  /** The hairs between, and what all of them have in common; none where there are none. */
  setHairs(of: Hairs | null, look: HairLook | null, as: StrandsAs) {
    if (of !== this.of) {
      this.of = of;
      if (this.hairs) this.group.remove(this.hairs.drawn);
      this.hairs?.dispose();
      this.hairs = of && of.head.hairs > 0 ? new HairLayer(this.shape, of, this.colour) : null;
      if (this.hairs) {
        this.group.add(this.hairs.drawn);
        this.hairs.changed(this.positions, this.state);
      }
    }
    if (look) this.hairs?.setLook(look);
    if (as !== this.as) {
      this.as = as;
      const every = as === 'few' ? FEW : 1;
      this.thick.array.set(this.widths);
      let from = 0;
      this.shape.strands.forEach((count, k) => {
        if (k % every > 0) for (let j = from; j < from + count; j++) this.thick.array[2 * j] = -1;
        from += count;
      });
      this.thick.needsUpdate = true;
    }
    this.choose();
  }

  /** What of it is seen now. */
  private choose() {
    const hairs = this.hairs !== null && (this.as === 'hairs' || (this.as === 'still' && this.best));
    if (this.hairs) this.hairs.drawn.visible = hairs;
    // Strands that are not seen still give shadow.
    this.material.colorWrite = this.material.depthWrite = !hairs;
  }

  setBest(best: boolean) {
    this.best = best;
    this.hairs?.setBest(best);
    this.choose();
  }

  setWire(on: boolean) {
    this.material.wireframe = on;
    this.hairs?.setWire(on);
  }

  setDye(colour: string) {
    this.colour = colour;
    this.material.color.set(colour);
    this.hairs?.setDye(colour);
  }

  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  changed(as: 'true' | 'stale' | 'ghost') {
    this.state = as;
    fade(this.material, as);
    this.places.needsUpdate = true;
    this.hairs?.changed(this.positions, as);
  }

  ready() {}

  bounds(): T.Box3 {
    return new T.Box3().setFromArray(this.positions);
  }

  dispose() {
    this.drawn.geometry.dispose();
    this.mesh.geometry.dispose();
    this.material.dispose();
    this.depth.dispose();
    this.hairs?.dispose();
  }
}
