/** The look of the arms: wooden beads on threads to move by, strings of beads to turn by. What they do is the library's. */
import * as T from 'three';
import { mergeGeometries } from 'three/addons/utils/BufferGeometryUtils.js';

type Kit = Record<'translate' | 'rotate', T.Object3D>;

/** Sides round and along the tubes of the library's rings. */
const [ROUND, ALONG] = [3, 64];

export function dress(helper: T.Object3D) {
  const all = helper.children.find((c) => 'gizmo' in c && 'picker' in c) as unknown as { gizmo: Kit; picker: Kit } | undefined;
  if (!all) return;
  for (const m of [...all.gizmo.translate.children] as T.Mesh[]) move(m);
  for (const m of [...all.gizmo.rotate.children] as T.Mesh[]) turn(m);
  // Who turns takes one of the three rings; what no ring is seen for is not taken either.
  all.picker.rotate.remove(...all.picker.rotate.children.filter((m) => m.name === 'E' || m.name === 'XYZE'));
}

function middle(m: T.Mesh): T.Vector3 {
  m.geometry.computeBoundingBox();
  return m.geometry.boundingBox!.getCenter(new T.Vector3());
}

function move(m: T.Mesh) {
  const at = middle(m);
  if (m.name.length === 1) {
    const axis = { X: new T.Vector3(1, 0, 0), Y: new T.Vector3(0, 1, 0), Z: new T.Vector3(0, 0, 1) }[m.name];
    if (!axis) return;
    if (at.length() < 0.4) {
      // A thread with three small beads.
      const thread = new T.CylinderGeometry(0.006, 0.006, 0.5, 5).translate(0, 0.25, 0);
      const beads = [0.16, 0.27, 0.38].map((y) => new T.SphereGeometry(0.02, 8, 6).translate(0, y, 0));
      const turned = new T.Quaternion().setFromUnitVectors(new T.Vector3(0, 1, 0), axis);
      m.geometry = mergeGeometries([thread, ...beads]).applyQuaternion(turned);
    } else if (at.dot(axis) < 0) m.parent?.remove(m);
    else m.geometry = new T.SphereGeometry(0.058, 16, 12).translate(...axis.multiplyScalar(0.53).toArray());
  } else if (m.name === 'XYZ') m.geometry = new T.SphereGeometry(0.05, 12, 10);
  else {
    const disc = new T.CircleGeometry(0.06, 20);
    if (m.name === 'YZ') disc.rotateY(Math.PI / 2);
    if (m.name === 'XZ') disc.rotateX(-Math.PI / 2);
    m.geometry = disc.translate(...at.toArray());
  }
}

function turn(m: T.Mesh) {
  if (m.name === 'E' || m.name === 'XYZE') return void m.parent?.remove(m);
  const p = m.geometry.getAttribute('position');
  const ring = (j: number, i: number) => new T.Vector3().fromBufferAttribute(p, j * (ALONG + 1) + i);
  const beads: T.BufferGeometry[] = [];
  for (let i = 0; i <= ALONG; i += 4) {
    const at = new T.Vector3();
    for (let j = 0; j < ROUND; j += 1) at.addScaledVector(ring(j, i), 1 / ROUND);
    beads.push(new T.SphereGeometry(i % 16 === 0 ? 0.026 : 0.017, 8, 6).translate(...at.toArray()));
  }
  // The thread keeps the beads together.
  m.geometry = mergeGeometries([m.geometry, ...beads]);
}
