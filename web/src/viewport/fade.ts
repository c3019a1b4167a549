import type * as T from 'three';

/** A frame that is true is solid; one that is out of date is seen through a little, and a rest shape more. */
export function fade(material: T.Material, as: 'true' | 'stale' | 'ghost') {
  const solid = as === 'true';
  if (material.transparent === solid) {
    material.transparent = !solid;
    material.needsUpdate = true;
  }
  material.opacity = solid ? 1 : as === 'stale' ? 0.8 : 0.55;
}
