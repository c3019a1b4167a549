/** Strands: each segment a ribbon that faces the eye, as wide as the strand and no thinner than can be seen, lit as a fibre is. */
import * as T from 'three';
import type { Shape } from '../api/shape';
import type { BodyLayer } from './body-layer';
import { fade } from './fade';

/** A ribbon is at least so many pixels wide. */
const LEAST = 1.3;

/** Where the corners of a ribbon are, and which way it looks: across its segment, toward the eye. */
const VERTEX_PARS = `
attribute vec3 root;
attribute vec3 tip;
attribute vec2 wide;
attribute vec2 share;
uniform float high;
uniform vec3 sunward;
varying float vShare;
varying vec3 vWay;
varying vec3 vAt;`;
const NORMAL = `
vec3 at = mix(root, tip, position.y);
vec3 way = normalize(tip - root + vec3(0.0, 1e-9, 0.0));
#ifdef FROM_SUN
vec3 eye = sunward;
#else
vec3 eye = normalize(cameraPosition - at);
#endif
vec3 side = cross(way, eye);
side = side / max(length(side), 1e-4);
vec3 objectNormal = normalize(cross(side, way) + 0.7 * position.x * side);`;
const BEGIN = `
#ifdef FROM_SUN
float least = 0.0;
#else
float least = ${LEAST.toFixed(1)} * distance(cameraPosition, at) / (projectionMatrix[1][1] * high);
#endif
float w = wide.x < 0.0 ? 0.0 : max(mix(wide.x, wide.y, position.y), least);
vec3 transformed = at + w * position.x * side;
vShare = mix(share.x, share.y, position.y);
vWay = way;
vAt = at;`;

export class StrandLayer implements BodyLayer {
  readonly group = new T.Group();
  /** Nothing that a ray could meet: strands are thinner than a pointer. */
  readonly mesh = new T.Mesh(new T.BufferGeometry());
  readonly positions: Float32Array;
  private drawn: T.Mesh;
  private places: T.InstancedInterleavedBuffer;
  private material: T.MeshLambertMaterial;
  private depth: T.MeshDepthMaterial;
  private uniforms = { high: { value: 700 }, sunward: { value: new T.Vector3(0.4, 0.8, 0.45).normalize() } };

  constructor(
    private shape: Shape,
    colour: string,
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
    const wide = new Float32Array(2 * points);
    const share = new Float32Array(2 * points);
    let from = 0;
    for (const count of shape.strands) {
      for (let k = 0; k < count; k++) {
        const at = from + k;
        const last = k === count - 1;
        wide.set(last ? [-1, 0] : [shape.radii[at]!, shape.radii[at + 1]!], 2 * at);
        share.set([k / (count - 1), Math.min(1, (k + 1) / (count - 1))], 2 * at);
      }
      from += count;
    }
    g.setAttribute('wide', new T.InstancedBufferAttribute(wide, 2));
    g.setAttribute('share', new T.InstancedBufferAttribute(share, 2));
    g.instanceCount = Math.max(0, points - 1);
    this.material = new T.MeshLambertMaterial({ color: colour, side: T.DoubleSide });
    this.material.onBeforeCompile = (s) => {
      this.weave(s);
      s.fragmentShader = s.fragmentShader
        .replace(
          '#include <common>',
          '#include <common>\nvarying float vShare;\nvarying vec3 vWay;\nvarying vec3 vAt;\nuniform vec3 sunward;',
        )
        .replace(
          '#include <color_fragment>',
          '#include <color_fragment>\ndiffuseColor.rgb *= mix(0.55, 1.06, smoothstep(0.0, 0.7, vShare));',
        )
        // A fibre shines in a cone about itself (J. Kajiya, T. Kay, "Rendering Fur with Three Dimensional Textures", 1989).
        .replace(
          '#include <opaque_fragment>',
          `float on = dot(vWay, normalize(sunward + normalize(cameraPosition - vAt)));
          outgoingLight += 0.16 * pow(max(0.0, 1.0 - on * on), 24.0) * mix(0.2, 1.0, vShare) * (diffuseColor.rgb + 0.15);
          #include <opaque_fragment>`,
        );
    };
    this.depth = new T.MeshDepthMaterial({ depthPacking: T.RGBADepthPacking, side: T.DoubleSide });
    this.depth.defines = { FROM_SUN: '' };
    this.depth.onBeforeCompile = (s) => this.weave(s);
    this.drawn = new T.Mesh(g, this.material);
    this.drawn.customDepthMaterial = this.depth;
    this.drawn.castShadow = this.drawn.receiveShadow = true;
    this.drawn.frustumCulled = false;
    this.drawn.onBeforeRender = (renderer) => {
      this.uniforms.high.value = renderer.getDrawingBufferSize(new T.Vector2()).y;
    };
    this.group.add(this.drawn);
    this.rest();
  }

  /** Puts the ribbons into a shader of the library's. */
  private weave(s: T.WebGLProgramParametersWithUniforms) {
    Object.assign(s.uniforms, this.uniforms);
    s.vertexShader = s.vertexShader
      .replace('#include <common>', `#include <common>${VERTEX_PARS}`)
      .replace('#include <uv_vertex>', NORMAL)
      .replace('#include <beginnormal_vertex>', '')
      .replace('#include <begin_vertex>', BEGIN);
  }

  setWire(on: boolean) {
    this.material.wireframe = on;
  }

  setDye(colour: string) {
    this.material.color.set(colour);
  }

  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  changed(as: 'true' | 'stale' | 'ghost') {
    fade(this.material, as);
    this.places.needsUpdate = true;
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
  }
}
