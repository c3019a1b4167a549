/** Ribbons: what is too thin to have a surface is drawn as a strip that faces the eye, no thinner than can be seen, and lit as a fibre is. */
import * as T from 'three';

/** A ribbon is at least so many pixels wide. */
const LEAST = 1.3;

const COMMON = `
uniform float high;
uniform vec3 sunward;
varying float vShare;
varying vec3 vWay;
varying vec3 vAt;`;
const FACING = `
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
float w = wide < 0.0 ? 0.0 : max(wide, thin * least);
vec3 transformed = at + w * position.x * side;
vShare = share;
vWay = way;
vAt = at;`;

/** What a shader of ribbons is told, beside its attributes: how high the picture is in pixels, and where the sun is. */
export const ribbonUniforms = () => ({
  high: { value: 700 },
  sunward: { value: new T.Vector3(0.4, 0.8, 0.45).normalize() },
});

/**
 * Puts ribbons into a shader of the library's. `told` declares attributes; `found` says, for a corner of a ribbon, where its middle is (`at`), which
 * way it goes there (`way`), how far along it that is (`share`, 0 to 1), half of how wide it is (`wide`, none where negative), and `thin`: of the least width
 * that can be seen how much it has at least. `position.x` is -1 on one side and 1 on the other.
 */
export function weave(s: T.WebGLProgramParametersWithUniforms, uniforms: object, told: string, found: string) {
  Object.assign(s.uniforms, uniforms);
  s.vertexShader = s.vertexShader
    .replace('#include <common>', `#include <common>${COMMON}${told}`)
    .replace('#include <uv_vertex>', found + FACING)
    .replace('#include <beginnormal_vertex>', '')
    .replace('#include <begin_vertex>', BEGIN);
}

/** A fibre's own light: darker at its root, with a shine in a cone about itself (J. Kajiya, T. Kay, "Rendering Fur with Three Dimensional Textures", 1989). */
export function shine(s: T.WebGLProgramParametersWithUniforms) {
  s.fragmentShader = s.fragmentShader
    .replace('#include <common>', '#include <common>\nvarying float vShare;\nvarying vec3 vWay;\nvarying vec3 vAt;\nuniform vec3 sunward;')
    .replace('#include <color_fragment>', '#include <color_fragment>\ndiffuseColor.rgb *= mix(0.55, 1.06, smoothstep(0.0, 0.7, vShare));')
    .replace(
      '#include <opaque_fragment>',
      `float on = dot(vWay, normalize(sunward + normalize(cameraPosition - vAt)));
      outgoingLight += 0.16 * pow(max(0.0, 1.0 - on * on), 24.0) * mix(0.2, 1.0, vShare) * (diffuseColor.rgb + 0.15);
      #include <opaque_fragment>`,
    );
}

/** Tells ribbons how high the picture is that they are drawn in. */
export const measured =
  (uniforms: ReturnType<typeof ribbonUniforms>): T.Mesh['onBeforeRender'] =>
  (renderer) => {
    uniforms.high.value = renderer.getDrawingBufferSize(new T.Vector2()).y;
  };

/** Points in a row of the texture that has their places. */
const ROW = 1024;

/** Places of points, as shaders fetch them: `placeAt(i)`. */
export class PlacesTexture {
  readonly texture: T.DataTexture;

  constructor(points: number) {
    const rows = Math.max(1, Math.ceil(points / ROW));
    this.texture = new T.DataTexture(new Float32Array(4 * ROW * rows), ROW, rows, T.RGBAFormat, T.FloatType);
  }

  /** And with whether it is there, 1 or 0: `pointAt(i)`. */
  static readonly told = `
uniform sampler2D places;
vec4 pointAt(int i) {
  return texelFetch(places, ivec2(i % ${ROW}, i / ${ROW}), 0);
}
vec3 placeAt(int i) {
  return pointAt(i).xyz;
}`;

  set(positions: Float32Array) {
    const to = this.texture.image.data as Float32Array;
    for (let k = 0, n = positions.length / 3; k < n; k++) {
      // What is not there stays where it was.
      if (Number.isNaN(positions[3 * k]!)) {
        to[4 * k + 3] = 0;
        continue;
      }
      to[4 * k + 3] = 1;
      to[4 * k] = positions[3 * k]!;
      to[4 * k + 1] = positions[3 * k + 1]!;
      to[4 * k + 2] = positions[3 * k + 2]!;
    }
    this.texture.needsUpdate = true;
  }
}

/** A strip of so many pairs of corners, one copy an instance: `position` is the side (-1 or 1) and the number of the pair. Many small instances
 * are far slower to draw than few long ones. */
export function strip(pairs: number): T.InstancedBufferGeometry {
  const g = new T.InstancedBufferGeometry();
  const corners = new Float32Array(6 * pairs);
  const index: number[] = [];
  for (let k = 0; k < pairs; k++) {
    corners.set([-1, k, 0, 1, k, 0], 6 * k);
    if (k > 0) index.push(2 * k - 2, 2 * k - 1, 2 * k + 1, 2 * k - 2, 2 * k + 1, 2 * k);
  }
  g.setAttribute('position', new T.BufferAttribute(corners, 3));
  g.setIndex(index);
  return g;
}
