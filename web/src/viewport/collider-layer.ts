/** The colliders of a scene, where they are at the frame; the chosen one with arms to drag it by. */
import * as T from 'three';
import { TransformControls } from 'three/addons/controls/TransformControls.js';
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { readSkin } from '../api/colliders';
import type { Collider, Skin } from '../api/http';
import { formOf, placeAt, placeCollider } from '../bench/colliders';

const RUST = '#a5583a';

type Drawn = { mesh: T.Mesh; key: string; collider: Collider; skin?: Skin };

export class ColliderLayer {
  readonly group = new T.Group();
  private drawn = new Map<string, Drawn>();
  private arms?: TransformControls;
  private chosen: string | null = null;
  private frame = 0;
  /** Asks for a picture; true with new shadows. */
  ask: (shadows: boolean) => void = () => {};

  /** Gives the chosen collider arms; they take the view's own dragging away while held. */
  mount(camera: T.Camera, canvas: HTMLCanvasElement, orbit: OrbitControls): () => void {
    const arms = new TransformControls(camera, canvas);
    arms.setSize(0.7);
    arms.setColors('#a8443c', '#5d7a3a', '#2e5f82', '#c99a2e');
    arms.addEventListener('change', () => this.ask(true));
    arms.addEventListener('dragging-changed', (e) => {
      orbit.enabled = !e.value;
      const mesh = arms.object;
      if (e.value || !mesh || !this.chosen) return;
      const d = this.drawn.get(this.chosen);
      const [x, y, z] = [mesh.rotation.x, mesh.rotation.y, mesh.rotation.z];
      if (d) void placeCollider(this.chosen, d.collider.name, mesh.position.toArray().map(tidy), [x, y, z].map(tidy));
    });
    this.arms = arms;
    this.group.add(arms.getHelper());
    return () => {
      arms.detach();
      arms.dispose();
      this.group.clear();
      this.drawn.clear();
      this.arms = undefined;
    };
  }

  set(project: number, colliders: Record<string, Collider>) {
    for (const [id, d] of this.drawn) {
      if (colliders[id] && JSON.stringify(colliders[id].form) === d.key) continue;
      if (this.arms?.object === d.mesh) this.arms.detach();
      this.group.remove(d.mesh);
      d.mesh.geometry.dispose();
      this.drawn.delete(id);
    }
    for (const [id, c] of Object.entries(colliders)) {
      let d = this.drawn.get(id);
      if (!d) {
        const material = new T.MeshStandardMaterial({ color: '#c9ab93', roughness: 0.9, transparent: true, side: T.DoubleSide });
        d = { mesh: new T.Mesh(shapeOf(c), material), key: JSON.stringify(c.form), collider: c };
        d.mesh.rotation.order = 'ZYX';
        d.mesh.castShadow = formOf(c) !== 'plane';
        d.mesh.receiveShadow = true;
        this.group.add(d.mesh);
        this.drawn.set(id, d);
        if (formOf(c) === 'mesh' || formOf(c) === 'hull') {
          const mine = d;
          void readSkin(project, id).then(
            (skin) => {
              mine.skin = skin;
              const g = new T.BufferGeometry();
              g.setAttribute('position', new T.BufferAttribute(new Float32Array(skin.positions), 3));
              g.setIndex(skin.triangles);
              mine.mesh.geometry = g;
              this.go(this.frame);
              this.ask(true);
            },
            () => {},
          );
        }
      }
      d.collider = c;
      const material = d.mesh.material as T.MeshStandardMaterial;
      material.opacity = c.on === false ? 0.15 : c.hollow ? 0.3 : formOf(c) === 'plane' ? 0.5 : 1;
      material.depthWrite = material.opacity === 1;
    }
    this.go(this.frame);
    this.ask(true);
  }

  /** Marks the chosen one. It has arms where no keys move it. */
  choose(id: string | null, mode: 'translate' | 'rotate') {
    this.chosen = id;
    for (const [k, d] of this.drawn) (d.mesh.material as T.MeshStandardMaterial).emissive.set(k === id ? RUST : '#000000').multiplyScalar(0.22);
    const d = id ? this.drawn.get(id) : undefined;
    if (d && (d.collider.keys?.length ?? 0) === 0) {
      this.arms?.setMode(mode);
      if (this.arms?.object !== d.mesh) this.arms?.attach(d.mesh);
    } else this.arms?.detach();
    this.ask(true);
  }

  /** Puts all where they are at a frame. */
  go(frame: number) {
    this.frame = frame;
    for (const d of this.drawn.values()) {
      if (this.arms?.dragging && this.arms.object === d.mesh) continue;
      const { position, turn } = placeAt(d.collider, frame);
      d.mesh.position.set(position[0]!, position[1]!, position[2]!);
      d.mesh.rotation.set(turn[0]!, turn[1]!, turn[2]!, 'ZYX');
      if (d.skin && d.skin.shapes.length > 0) bend(d.mesh.geometry, d.skin, frame);
      if (d.skin) d.mesh.geometry.computeVertexNormals();
    }
  }

  bounds(): T.Box3 {
    const box = new T.Box3();
    for (const d of this.drawn.values()) if (formOf(d.collider) !== 'plane') box.expandByObject(d.mesh);
    return box;
  }
}

const tidy = (v: number) => Number(v.toFixed(5));

function bend(g: T.BufferGeometry, skin: Skin, frame: number) {
  const after = skin.shapes.findIndex((s) => s.frame > frame);
  const a = skin.shapes[after < 0 ? skin.shapes.length - 1 : Math.max(0, after - 1)]!;
  const b = skin.shapes[Math.max(0, after < 0 ? skin.shapes.length - 1 : after)]!;
  const t = a === b ? 0 : (frame - a.frame) / (b.frame - a.frame);
  const out = g.getAttribute('position').array as Float32Array;
  for (let k = 0; k < out.length; k += 1) out[k] = a.positions[k]! + t * (b.positions[k]! - a.positions[k]!);
  g.getAttribute('position').needsUpdate = true;
  g.computeBoundingSphere();
}

function shapeOf(c: Collider): T.BufferGeometry {
  const f = c.form;
  if ('ball' in f) return new T.SphereGeometry(f.ball.radius, 40, 28);
  if ('capsule' in f) return new T.CapsuleGeometry(f.capsule.radius, f.capsule.length, 12, 32);
  if ('box' in f) return new T.BoxGeometry(...(f.box.size as [number, number, number]));
  if ('plane' in f) return new T.PlaneGeometry(6, 6).rotateX(-Math.PI / 2);
  return new T.BufferGeometry();
}
