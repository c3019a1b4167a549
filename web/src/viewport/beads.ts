/** The look of the arms: a peg, a ring and a toggle on cords to move by, strings of beads to turn by. Each axis has its own end, its own cord
 * and its letter, so that no colour is needed to tell them. What they do is the library's. */
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

/** A cord along y: whole for x, in stitches for y, as beads for z. */
function cord(axis: string): T.BufferGeometry[] {
  const piece = (from: number, to: number) => new T.CylinderGeometry(0.0075, 0.0075, to - from, 6).translate(0, (from + to) / 2, 0);
  if (axis === 'X') return [piece(0.04, 0.5)];
  if (axis === 'Y') return [0, 1, 2, 3, 4].map((k) => piece(0.05 + 0.092 * k, 0.05 + 0.092 * k + 0.058));
  return Array.from({ length: 12 }, (_, k) => new T.SphereGeometry(0.0125, 8, 6).translate(0, 0.06 + 0.038 * k, 0));
}

/** What a cord along y ends in: a peg, a ring, a toggle. */
function end(axis: string): T.BufferGeometry[] {
  if (axis === 'X') {
    return [
      new T.CylinderGeometry(0.028, 0.045, 0.11, 14).translate(0, 0.555, 0),
      new T.CylinderGeometry(0.062, 0.062, 0.018, 18).translate(0, 0.5, 0),
    ];
  }
  if (axis === 'Y') return [new T.TorusGeometry(0.048, 0.016, 10, 24).translate(0, 0.55, 0)];
  return [new T.CapsuleGeometry(0.024, 0.12, 4, 10).rotateZ(Math.PI / 2).translate(0, 0.52, 0)];
}

/** Its letter beyond the end, twice across itself: it is read from most sides. */
function letter(axis: string): T.BufferGeometry[] {
  const strokes: Record<string, [number, number, number, number][]> = {
    X: [
      [-1, -1, 1, 1],
      [-1, 1, 1, -1],
    ],
    Y: [
      [-1, 1, 0, 0],
      [1, 1, 0, 0],
      [0, 0, 0, -1],
    ],
    Z: [
      [-1, 1, 1, 1],
      [1, 1, -1, -1],
      [-1, -1, 1, -1],
    ],
  };
  const bars = (strokes[axis] ?? []).map(([x, y, u, v]) => {
    const [dx, dy] = [0.026 * (u - x), 0.036 * (v - y)];
    const long = Math.hypot(dx, dy);
    return new T.CylinderGeometry(0.0055, 0.0055, long, 5)
      .rotateZ(-Math.atan2(dx, dy))
      .translate(0.013 * (x + u), 0.69 + 0.018 * (y + v), 0);
  });
  return [...bars, ...bars.map((b) => b.clone().rotateY(Math.PI / 2))];
}

function move(m: T.Mesh) {
  const at = middle(m);
  if (m.name.length === 1) {
    const axis = { X: new T.Vector3(1, 0, 0), Y: new T.Vector3(0, 1, 0), Z: new T.Vector3(0, 0, 1) }[m.name];
    if (!axis) return;
    const turned = new T.Quaternion().setFromUnitVectors(new T.Vector3(0, 1, 0), axis);
    if (at.length() < 0.4) m.geometry = mergeGeometries(cord(m.name)).applyQuaternion(turned);
    else if (at.dot(axis) < 0) m.parent?.remove(m);
    else m.geometry = mergeGeometries([...end(m.name), ...letter(m.name)]).applyQuaternion(turned);
  } else if (m.name === 'XYZ') m.geometry = new T.TorusGeometry(0.036, 0.014, 8, 20);
  else {
    const patch = new T.PlaneGeometry(0.085, 0.085);
    if (m.name === 'YZ') patch.rotateY(Math.PI / 2);
    if (m.name === 'XZ') patch.rotateX(-Math.PI / 2);
    m.geometry = patch.translate(...at.toArray());
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
