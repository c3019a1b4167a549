/** What things look to be made of that are not computed: wood, felt, horn, stone, turf. All of it is drawn by sums, none from pictures. */
import * as T from 'three';
import type { Figure } from '../api/http';

export type Surface = NonNullable<Figure['surface']>;

/** A number for each in the shader, its tone, and the tone that it is mixed with. */
const LOOKS: Record<Surface | 'plain', { kind: number; tone: string; other: string }> = {
  plain: { kind: 0, tone: '#b59c82', other: '#a08a72' },
  wood: { kind: 1, tone: '#ab9068', other: '#7c6242' },
  felt: { kind: 2, tone: '#7c6650', other: '#5c4936' },
  horn: { kind: 3, tone: '#c9a678', other: '#6b4a2c' },
  stone: { kind: 4, tone: '#a5a196', other: '#7f7c74' },
  turf: { kind: 5, tone: '#868b6d', other: '#a49a78' },
};

/** Makes a material look like a surface, and tells how to change it. Grain needs the geometry's `grain`: see `grained`. */
export function surfaced(material: T.MeshLambertMaterial | T.MeshStandardMaterial): (to: Surface | null | undefined) => void {
  const told = { kind: { value: 0 }, other: { value: new T.Color() } };
  material.onBeforeCompile = (s) => {
    s.uniforms['surfaceKind'] = told.kind;
    s.uniforms['surfaceOther'] = told.other;
    s.vertexShader = s.vertexShader
      .replace('#include <common>', '#include <common>\nattribute vec4 grain;\nvarying vec4 vGrain;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nvGrain = grain;');
    s.fragmentShader = s.fragmentShader
      .replace('#include <common>', `#include <common>\n${SUMS}`)
      .replace('#include <color_fragment>', COLOUR)
      .replace('#include <opaque_fragment>', SHINE);
  };
  return (to) => {
    const look = LOOKS[to ?? 'plain'];
    told.kind.value = look.kind;
    material.color.set(look.tone);
    told.other.value.set(look.other);
  };
}

/** Value noise of a plane, 0 to 1, for shaders. */
export const NOISE = `
float chance(vec2 p) { return fract(sin(dot(p, vec2(12.9898, 78.233))) * 43758.5453); }
float cloudy(vec2 p) {
  vec2 i = floor(p);
  vec2 f = fract(p);
  f = f * f * (3.0 - 2.0 * f);
  return mix(mix(chance(i), chance(i + vec2(1.0, 0.0)), f.x), mix(chance(i + vec2(0.0, 1.0)), chance(i + vec2(1.0, 1.0)), f.x), f.y);
}`;

const SUMS = `
varying vec4 vGrain;
uniform int surfaceKind;
uniform vec3 surfaceOther;
${NOISE}`;

// xyz is where on the thing it is, along the grain first; w is a tone of the piece's own.
const COLOUR = `
if (surfaceKind == 1) {
  float streak = 0.6 * cloudy(vec2(vGrain.x * 1.7, (vGrain.y + vGrain.z) * 70.0 + 40.0 * vGrain.w)) + 0.4 * cloudy(vec2(vGrain.x * 0.6, (vGrain.y - vGrain.z) * 22.0 + 9.0 * vGrain.w));
  diffuseColor.rgb = mix(surfaceOther, diffuseColor.rgb, 0.25 + 0.5 * vGrain.w + 0.35 * (streak - 0.35));
} else if (surfaceKind == 2) {
  diffuseColor.rgb = mix(surfaceOther, diffuseColor.rgb, 0.45 + 0.55 * cloudy(vGrain.xy * 60.0 + vGrain.z * 47.0));
} else if (surfaceKind == 3) {
  diffuseColor.rgb = mix(surfaceOther, diffuseColor.rgb, smoothstep(0.1, 0.9, cloudy(vec2(vGrain.x * 3.0, (vGrain.y + vGrain.z) * 14.0))));
} else if (surfaceKind == 4) {
  diffuseColor.rgb = mix(surfaceOther, diffuseColor.rgb, 0.5 * cloudy(vGrain.xy * 9.0 + vGrain.z * 5.0) + 0.5 * cloudy(vGrain.zx * 41.0));
} else if (surfaceKind == 5) {
  float far = cloudy(vGrain.xz * 0.21);
  float near = mix(0.5, 0.65 * cloudy(vGrain.xz * 2.6) + 0.35 * cloudy(vGrain.xz * 11.0), 1.0 - smoothstep(0.05, 0.4, fwidth(vGrain.x) + fwidth(vGrain.z)));
  diffuseColor.rgb = mix(diffuseColor.rgb, surfaceOther, clamp(0.9 * far - 0.05 + 0.7 * (near - 0.5), 0.0, 1.0)) * (0.86 + 0.24 * near);
}`;

// Lit and then seen: felt is lighter where it is seen from the side, horn shines.
const SHINE = `
{
  float aside = 1.0 - abs(dot(normalize(vViewPosition), normal));
  if (surfaceKind == 2) outgoingLight += 0.4 * pow(aside, 3.0) * diffuseColor.rgb;
  if (surfaceKind == 3) outgoingLight += 0.35 * pow(max(0.0, dot(normalize(normalize(vViewPosition) + vec3(-0.35, 0.75, 0.5)), normal)), 40.0);
}
#include <opaque_fragment>`;

/** Gives a geometry its grain: along the longest side of each piece that hangs together, in a tone of its own. */
export function grained(g: T.BufferGeometry) {
  const position = g.getAttribute('position') as T.BufferAttribute;
  const [p, n] = [position.array, position.count];
  const grain = new Float32Array(4 * n);
  const whole = new Int32Array(n).map((_, k) => k);
  const find = (k: number): number => {
    let at = k;
    while (whole[at] !== at) at = whole[at] = whole[whole[at]!]!;
    return at;
  };
  // Points in one place are one, whoever's corners they are.
  const first = new Map<string, number>();
  for (let k = 0; k < n; k++) {
    const key = [0, 1, 2].map((c) => Math.round(1e3 * p[3 * k + c]!)).join();
    const known = first.get(key);
    if (known === undefined) first.set(key, k);
    else whole[find(k)] = find(known);
  }
  const index = g.getIndex();
  const corners = index ? index.count : n;
  const at = (k: number) => (index ? index.getX(k) : k);
  for (let k = 0; k < corners; k += 3) {
    for (const c of [1, 2]) whole[find(at(k + c))] = find(at(k));
  }
  const boxes = new Map<number, T.Box3>();
  const v = new T.Vector3();
  for (let k = 0; k < n; k++) {
    const of = find(k);
    if (!boxes.has(of)) boxes.set(of, new T.Box3());
    boxes.get(of)!.expandByPoint(v.fromBufferAttribute(position, k));
  }
  const ways = new Map(
    [...boxes].map(([of, box]) => {
      const s = box.getSize(new T.Vector3()).toArray();
      const long = s.indexOf(Math.max(...s));
      return [
        of,
        {
          order: [long, (long + 1) % 3, (long + 2) % 3],
          tone: Math.abs((Math.sin(78.2 * box.min.x + 31.7 * box.min.z + 11.3 * box.min.y + 1) * 43758.5) % 1),
        },
      ];
    }),
  );
  for (let k = 0; k < n; k++) {
    const { order, tone } = ways.get(find(k))!;
    for (let c = 0; c < 3; c++) grain[4 * k + c] = p[3 * k + order[c]!]!;
    grain[4 * k + 3] = tone;
  }
  g.setAttribute('grain', new T.BufferAttribute(grain, 4));
}

/** The same for turf, whose grain is where it is. */
export function placed(g: T.BufferGeometry) {
  const position = g.getAttribute('position') as T.BufferAttribute;
  const grain = new Float32Array(4 * position.count);
  for (let k = 0; k < position.count; k++) for (let c = 0; c < 3; c++) grain[4 * k + c] = position.array[3 * k + c]!;
  g.setAttribute('grain', new T.BufferAttribute(grain, 4));
}
