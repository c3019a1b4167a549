/** A cloth: its surface seen from both sides, and its wires. */
import * as T from 'three';
import type { Shape } from '../api/shape';

const LINEN = '#e6dcc4';

export class ClothLayer {
  readonly group = new T.Group();
  /** Places of the points on screen, metres; written by who has a frame, then `changed`. */
  readonly positions: Float32Array;
  private normals: Float32Array;
  private surface: T.BufferGeometry;
  private wires = new T.BufferGeometry();
  private material: T.MeshStandardMaterial | T.MeshLambertMaterial;
  private mesh: T.Mesh;
  private lines: T.LineSegments;
  /** For each vertex drawn the point it stands at: a seam in the UVs doubles some. */
  private pointOf: Uint32Array;

  /** `plain` where drawing is slow: a simpler light. */
  constructor(private shape: Shape, plain: boolean) {
    const { triangles, uvTriangles, uvs } = shape;
    this.positions = shape.placed.slice();
    this.normals = new Float32Array(this.positions.length);
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
    const moving = () => new T.BufferAttribute(new Float32Array(3 * pointOf.length), 3).setUsage(T.DynamicDrawUsage);
    g.setAttribute('position', moving());
    g.setAttribute('normal', moving());
    g.setAttribute('uv', new T.BufferAttribute(new Float32Array(uvOf), 2));
    this.surface = g;
    const look = { color: LINEN, side: T.DoubleSide };
    this.material = plain ? new T.MeshLambertMaterial(look) : new T.MeshStandardMaterial({ ...look, roughness: 0.94 });
    // Two dyed bands by the borders across v: they show that the texture travels with the threads.
    this.material.defines = { ...this.material.defines, USE_UV: '' };
    this.material.onBeforeCompile = (s) => {
      s.fragmentShader = s.fragmentShader.replace(
        '#include <color_fragment>',
        `#include <color_fragment>
        float edge = min(vUv.y, 1.0 - vUv.y);
        float soft = fwidth(vUv.y);
        float band = smoothstep(0.06 - soft, 0.06 + soft, edge) - smoothstep(0.085 - soft, 0.085 + soft, edge);
        band += 0.6 * (smoothstep(0.1 - soft, 0.1 + soft, edge) - smoothstep(0.107 - soft, 0.107 + soft, edge));
        diffuseColor.rgb = mix(diffuseColor.rgb, vec3(0.31, 0.1, 0.06), 0.55 * band);`,
      );
    };
    this.mesh = new T.Mesh(g, this.material);
    this.mesh.castShadow = true;
    this.mesh.receiveShadow = true;
    this.mesh.frustumCulled = false;
    this.wires.setAttribute('position', new T.BufferAttribute(this.positions, 3).setUsage(T.DynamicDrawUsage));
    this.wires.setIndex(new T.BufferAttribute(edges(triangles), 1));
    const pencil = new T.LineBasicMaterial({ color: '#26312f', transparent: true, opacity: 0.42 });
    this.lines = new T.LineSegments(this.wires, pencil);
    this.lines.frustumCulled = false;
    this.lines.visible = false;
    this.group.add(this.mesh, this.lines);
    this.rest();
  }

  setWire(on: boolean) {
    this.lines.visible = on;
    // The surface steps back a little so that its own wires are not lost in it.
    this.material.polygonOffset = on;
    this.material.polygonOffsetFactor = 1;
    this.material.polygonOffsetUnits = 1;
  }

  /** The rest shape, as a ghost: there is no frame to show. */
  rest() {
    this.positions.set(this.shape.placed);
    this.changed('ghost');
  }

  /** Takes in what was written to `positions`. */
  changed(as: 'true' | 'stale' | 'ghost') {
    const solid = as === 'true';
    if (this.material.transparent === solid) {
      this.material.transparent = !solid;
      this.material.needsUpdate = true;
    }
    this.material.opacity = solid ? 1 : as === 'stale' ? 0.72 : 0.45;
    const { positions: p, normals: n, pointOf } = this;
    const t = this.shape.triangles;
    n.fill(0);
    for (let k = 0; k < t.length; k += 3) {
      const [a, b, c] = [3 * t[k]!, 3 * t[k + 1]!, 3 * t[k + 2]!];
      const [ux, uy, uz] = [p[b]! - p[a]!, p[b + 1]! - p[a + 1]!, p[b + 2]! - p[a + 2]!];
      const [vx, vy, vz] = [p[c]! - p[a]!, p[c + 1]! - p[a + 1]!, p[c + 2]! - p[a + 2]!];
      const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      for (const q of [a, b, c]) {
        n[q] = n[q]! + nx;
        n[q + 1] = n[q + 1]! + ny;
        n[q + 2] = n[q + 2]! + nz;
      }
    }
    const position = this.surface.getAttribute('position') as T.BufferAttribute;
    const normal = this.surface.getAttribute('normal') as T.BufferAttribute;
    for (let k = 0; k < pointOf.length; k++) {
      const q = 3 * pointOf[k]!;
      const l = 1 / (Math.hypot(n[q]!, n[q + 1]!, n[q + 2]!) || 1);
      position.setXYZ(k, p[q]!, p[q + 1]!, p[q + 2]!);
      normal.setXYZ(k, n[q]! * l, n[q + 1]! * l, n[q + 2]! * l);
    }
    position.needsUpdate = true;
    normal.needsUpdate = true;
    this.wires.getAttribute('position').needsUpdate = true;
  }

  bounds(): T.Box3 {
    return new T.Box3().setFromArray(this.positions);
  }

  dispose() {
    this.surface.dispose();
    this.wires.dispose();
    this.material.dispose();
    (this.lines.material as T.Material).dispose();
  }
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
