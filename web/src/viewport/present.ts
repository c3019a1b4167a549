/** Of places of points where some may not be there: those have no number. */
import * as T from 'three';

export function presentOf(positions: Float32Array): number {
  let count = 0;
  for (let k = 0; k < positions.length; k += 3) if (!Number.isNaN(positions[k]!)) count += 1;
  return count;
}

export function boundsOf(positions: Float32Array): T.Box3 {
  const box = new T.Box3();
  const at = new T.Vector3();
  for (let k = 0; k < positions.length; k += 3) if (!Number.isNaN(positions[k]!)) box.expandByPoint(at.fromArray(positions, k));
  return box;
}
