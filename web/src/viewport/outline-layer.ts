/** Outlines of fields and zones, as the core draws them: a thread where there is all of it, a faint one where it ends. */
import * as T from 'three';
import type { Outlined } from '../api/http';

const [PLUM, DUSK] = ['#6b4468', '#c79ac3'];

export class OutlineLayer {
  readonly group = new T.Group();
  /** What arms take hold of: where the place of the chosen one is. */
  readonly anchor = new T.Object3D();
  private all: Outlined[] = [];
  private chosen: string[] = [];
  private dusk = false;
  /** Where the anchor was when it was taken: what is drawn goes along. */
  private held: T.Matrix4 | null = null;

  /** Shows the outlines of some paths, and of what lies in them. */
  set(all: Outlined[], chosen: string[], dusk: boolean) {
    if (this.held) return;
    [this.all, this.chosen, this.dusk] = [all, chosen, dusk];
    this.draw();
  }

  of(path: string): Outlined | undefined {
    return this.all.find((o) => o.path === path);
  }

  /** About what is drawn of a path and of what lies in it. */
  bounds(path: string): T.Box3 {
    const box = new T.Box3();
    for (const o of this.all.filter((o) => o.path === path || o.path.startsWith(`${path}/`))) {
      for (const lines of [o.core, o.soft]) if (lines.length > 0) box.union(new T.Box3().setFromArray(lines));
      box.expandByPoint(new T.Vector3().fromArray(o.position));
    }
    return box;
  }

  /** The anchor, put where the place of a path is; none where nothing is known of it. */
  at(path: string): T.Object3D | null {
    const found = this.of(path);
    if (!found) return null;
    this.anchor.position.fromArray(found.position);
    this.anchor.quaternion.fromArray(found.turn);
    this.anchor.updateMatrixWorld();
    return this.anchor;
  }

  hold(on: boolean) {
    this.anchor.updateMatrixWorld();
    this.held = on ? this.anchor.matrixWorld.clone().invert() : null;
  }

  /** What is drawn follows the anchor while it is held. */
  follow() {
    if (!this.held) return;
    this.anchor.updateMatrixWorld();
    this.group.matrixAutoUpdate = false;
    this.group.matrix.multiplyMatrices(this.anchor.matrixWorld, this.held);
  }

  /** Where it belongs again. */
  settle() {
    this.group.matrix.identity();
    this.group.matrixAutoUpdate = true;
  }

  clear() {
    for (const c of this.group.children as T.LineSegments[]) {
      c.geometry.dispose();
      (c.material as T.Material).dispose();
    }
    this.group.clear();
  }

  private draw() {
    this.clear();
    this.settle();
    const color = this.dusk ? DUSK : PLUM;
    for (const o of this.all) {
      if (!this.chosen.some((c) => o.path === c || o.path.startsWith(`${c}/`))) continue;
      for (const [lines, opacity] of [
        [o.core, 0.85],
        [o.soft, 0.28],
      ] as const) {
        if (lines.length === 0) continue;
        const geometry = new T.BufferGeometry().setAttribute('position', new T.BufferAttribute(new Float32Array(lines), 3));
        const drawn = new T.LineSegments(geometry, new T.LineBasicMaterial({ color, transparent: true, opacity, depthTest: false }));
        drawn.renderOrder = 15;
        drawn.frustumCulled = false;
        this.group.add(drawn);
      }
    }
  }
}
