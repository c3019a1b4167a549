/** The colliders of a scene, where they are at the frame. */
import * as T from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { toCreasedNormals } from 'three/addons/utils/BufferGeometryUtils.js';
import type { Collider, Skin } from '../api/http';
import { formOf } from '../bench/things';
import { fetchSkin } from '../state/queries';
import { nodeMoves } from '../state/value';
import type { Places } from './places';
import { grained, placed, surfaced, type Surface } from './surfaces';

const RUST = '#a5583a';
/** Faces that meet at more than this make an edge, radians. */
const CREASE = 0.7;

type Drawn = { mesh: T.Mesh; key: string; collider: Collider; dress: (to: Surface | null | undefined) => void; skin?: Skin };

export class ColliderLayer {
  readonly group = new T.Group();
  private drawn = new Map<string, Drawn>();
  private frame = 0;
  /** One whose arms are held: it is where they are. */
  held: string | null = null;
  /** Asks for a picture; true with new shadows. */
  ask: (shadows: boolean) => void = () => {};

  constructor(private places: Places) {}

  clear() {
    this.group.clear();
    this.drawn.clear();
  }

  meshOf(id: string): T.Mesh | undefined {
    return this.drawn.get(id)?.mesh;
  }

  collider(id: string): Collider | undefined {
    return this.drawn.get(id)?.collider;
  }

  /** The meshes that can be seen, ready for rays. */
  meshes(): T.Mesh[] {
    const all = [...this.drawn.values()].filter((d) => d.mesh.visible).map((d) => d.mesh);
    for (const m of all) {
      const g = m.geometry;
      if (g.boundsTree || !g.getAttribute('position')) continue;
      g.boundsTree = new MeshBVH(g);
    }
    return all;
  }

  /** With scenery about, a plane is what that stands on: it is drawn where it is chosen. */
  hide(hidden: string[], about: boolean) {
    this.hidden = { ids: hidden, about };
    for (const [id, d] of this.drawn) {
      const bare = about && id !== this.chosen && formOf(d.collider) === 'plane';
      d.mesh.visible = !hidden.includes(id) && !bare;
    }
  }

  private hidden = { ids: [] as string[], about: false };
  private chosen: string | null = null;

  ids(): string[] {
    return [...this.drawn.keys()];
  }

  set(project: number, colliders: Record<string, Collider>) {
    for (const [id, d] of this.drawn) {
      if (colliders[id] && JSON.stringify(colliders[id].form) === d.key) continue;
      this.group.remove(d.mesh);
      d.mesh.geometry.dispose();
      this.drawn.delete(id);
    }
    for (const [id, c] of Object.entries(colliders)) {
      let d = this.drawn.get(id);
      if (!d) {
        const material = new T.MeshLambertMaterial({ transparent: true, side: T.DoubleSide });
        const shape = formOf(c) === 'plane' ? new T.PlaneGeometry(6, 6).rotateX(-Math.PI / 2) : new T.BufferGeometry();
        if (formOf(c) === 'plane') placed(shape);
        d = { mesh: new T.Mesh(shape, material), key: JSON.stringify(c.form), collider: c, dress: surfaced(material) };
        d.mesh.rotation.order = 'ZYX';
        d.mesh.userData = { kind: 'colliders', id };
        d.mesh.castShadow = formOf(c) !== 'plane';
        d.mesh.receiveShadow = true;
        this.group.add(d.mesh);
        this.drawn.set(id, d);
        if (formOf(c) !== 'plane' && formOf(c) !== 'figure') {
          const mine = d;
          void fetchSkin(project, id, c).then(
            (skin) => {
              mine.skin = skin;
              const g = new T.BufferGeometry();
              g.setAttribute('position', new T.BufferAttribute(new Float32Array(skin.positions), 3));
              g.setIndex(skin.triangles);
              g.computeVertexNormals();
              // Edges are seen as edges; one that deforms is written point by point, and stays round.
              mine.mesh.geometry = skin.shapes.length > 0 ? g : toCreasedNormals(g, CREASE);
              if (mine.collider.surface === 'turf') placed(mine.mesh.geometry);
              else grained(mine.mesh.geometry);
              this.go(this.frame);
              this.ask(true);
            },
            () => {},
          );
        }
      }
      d.collider = c;
      d.dress(c.surface);
      const material = d.mesh.material as T.MeshLambertMaterial;
      material.opacity = c.on === false ? 0.15 : c.hollow ? 0.3 : formOf(c) === 'plane' ? 0.5 : 1;
      material.depthWrite = material.opacity === 1;
    }
    this.go(this.frame);
    this.ask(true);
  }

  /** Marks the chosen one. */
  choose(id: string | null) {
    this.chosen = id;
    this.hide(this.hidden.ids, this.hidden.about);
    for (const [k, d] of this.drawn)
      (d.mesh.material as T.MeshLambertMaterial).emissive.set(k === id ? RUST : '#000000').multiplyScalar(0.22);
    this.ask(false);
  }

  /** Puts all where they are at a frame. */
  go(frame: number) {
    this.frame = frame;
    for (const [id, d] of this.drawn) {
      if (this.held === id) continue;
      this.places.put(d.mesh, `colliders/${id}`, d.collider.place, frame);
      if (d.skin && d.skin.shapes.length > 0) {
        bend(d.mesh.geometry, d.skin, frame);
        d.mesh.geometry.computeVertexNormals();
      }
    }
  }

  /** Whether any of them moves. */
  moves(): boolean {
    return [...this.drawn.values()].some((d) => nodeMoves(d.collider.place) || (d.skin?.shapes.length ?? 0) > 0);
  }

  bounds(): T.Box3 {
    const box = new T.Box3();
    for (const d of this.drawn.values()) if (formOf(d.collider) !== 'plane' && d.skin && d.mesh.visible) box.expandByObject(d.mesh);
    return box;
  }
}

function bend(g: T.BufferGeometry, skin: Skin, frame: number) {
  const after = skin.shapes.findIndex((s) => s.frame > frame);
  const a = skin.shapes[after < 0 ? skin.shapes.length - 1 : Math.max(0, after - 1)]!;
  const b = skin.shapes[Math.max(0, after < 0 ? skin.shapes.length - 1 : after)]!;
  const t = a === b ? 0 : (frame - a.frame) / (b.frame - a.frame);
  const out = g.getAttribute('position').array as Float32Array;
  for (let k = 0; k < out.length; k += 1) out[k] = a.positions[k]! + t * (b.positions[k]! - a.positions[k]!);
  g.getAttribute('position').needsUpdate = true;
  g.computeBoundingSphere();
  // Its tree is made anew for the next ray.
  g.boundsTree = undefined as never;
}
