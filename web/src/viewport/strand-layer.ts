/** Strands: each a ribbon as wide as it is; and the hairs between them, where there are any. */
import * as T from 'three';
import type { Hairs } from '../api/hairs';
import type { Shape } from '../api/shape';
import type { StrandsAs } from '../state/view';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';
import { HairLayer, type HairLook } from './hair-layer';
import { measured, PlacesTexture, ribbonUniforms, shine, strip, weave } from './ribbon';

const TOLD = `${PlacesTexture.told}
attribute vec4 strand;`;
/** Of a strand its first point, how many it has, and how thick it is at its root and its tip. */
const FOUND = `
int first = int(strand.x), last = int(strand.y) - 1;
int k = min(int(position.y), last);
vec3 at = placeAt(first + k);
vec3 way = normalize(placeAt(first + min(k + 1, last)) - placeAt(first + max(k - 1, 0)) + vec3(0.0, 1e-9, 0.0));
float share = float(k) / float(last);
float wide = mix(strand.z, strand.w, share);
float thin = 1.0;`;
/** Of strands that are shown a few of, every so many-th. */
const FEW = 4;

export class StrandLayer implements BodyLayer {
  readonly group = new T.Group();
  /** Nothing that a ray could meet: strands are thinner than a pointer. */
  readonly mesh = new T.Mesh(new T.BufferGeometry());
  readonly positions: Float32Array;
  private drawn: T.Mesh;
  private places: PlacesTexture;
  private told: T.InstancedBufferAttribute;
  private material: T.MeshLambertMaterial;
  private depth: T.MeshDepthMaterial;
  private uniforms: ReturnType<typeof ribbonUniforms> & { places: { value: T.Texture } };
  private hairs: HairLayer | null = null;
  private of: Hairs | null = null;
  private as: StrandsAs = 'hairs';
  private state: 'true' | 'stale' | 'ghost' = 'ghost';
  private best = true;
  private seen = true;

  constructor(
    readonly shape: Shape,
    private colour: string,
  ) {
    this.positions = shape.placed.slice();
    this.places = new PlacesTexture(shape.head.points);
    this.uniforms = { ...ribbonUniforms(), places: { value: this.places.texture } };
    const g = strip(Math.max(2, ...shape.strands));
    this.told = new T.InstancedBufferAttribute(new Float32Array(4 * shape.strands.length), 4);
    g.setAttribute('strand', this.told);
    this.pick(1);
    this.material = new T.MeshLambertMaterial({ color: colour, side: T.DoubleSide, forceSinglePass: true });
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
    // Strands that are not seen for the hairs between them still give shadow.
    const measure = measured(this.uniforms);
    this.drawn.onBeforeRender = (...all) => {
      measure(...all);
      g.instanceCount = this.seen ? shape.strands.length : 0;
    };
    this.drawn.onBeforeShadow = () => (g.instanceCount = shape.strands.length);
    this.group.add(this.drawn);
    this.rest();
  }

  /** Tells of every so many-th strand; of the others that they have no width. */
  private pick(every: number) {
    let from = 0;
    this.shape.strands.forEach((count, k) => {
      const { radii } = this.shape;
      const thick = k % every === 0 ? [radii[from]!, radii[from + count - 1]!] : [-1, -1];
      this.told.array.set([from, count, ...thick], 4 * k);
      from += count;
    });
    this.told.needsUpdate = true;
  }

  /** The hairs between, and what all of them have in common; none where there are none. */
  setHairs(of: Hairs | null, look: HairLook | null, as: StrandsAs) {
    if (of !== this.of) {
      this.of = of;
      if (this.hairs) this.group.remove(this.hairs.drawn);
      this.hairs?.dispose();
      this.hairs = of && of.head.hairs > 0 ? new HairLayer(this.shape, of, this.places, this.colour) : null;
      if (this.hairs) {
        this.group.add(this.hairs.drawn);
        this.hairs.changed(this.state);
      }
    }
    if (look) this.hairs?.setLook(look);
    if (as !== this.as) {
      this.as = as;
      this.pick(as === 'few' ? FEW : 1);
    }
    this.choose();
  }

  /** What of it is seen now. */
  private choose() {
    const hairs = this.hairs !== null && (this.as === 'hairs' || (this.as === 'still' && this.best));
    if (this.hairs) this.hairs.drawn.visible = hairs;
    this.seen = !hairs;
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
    this.places.set(this.positions);
    this.hairs?.changed(as);
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
    this.places.texture.dispose();
  }
}
