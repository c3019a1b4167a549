/** What a body is drawn as. A kind of body that looks otherwise is one file more and a line in `layerOf`. */
import type * as T from 'three';
import type { Shape } from '../api/shape';
import { ClothLayer } from './cloth-layer';
import { DriftLayer } from './drift-layer';
import { PlantLayer } from './plant-layer';
import { StrandLayer } from './strand-layer';

export interface BodyLayer {
  readonly group: T.Group;
  /** What rays meet. */
  readonly mesh: T.Mesh;
  /** Places of the points on screen, metres; written by who has a frame, then `changed`. */
  readonly positions: Float32Array;
  /** Where they were a frame before, where who draws them tells what lies from what moves; no numbers where that is not known. */
  readonly before?: Float32Array;
  /** How they are turned, four numbers each, where they have a turn; written with them. */
  readonly turns?: Float32Array;
  setWire(on: boolean): void;
  setDye(colour: string): void;
  /** Lays a picture on by the UVs, from where it is had; none, and it is dyed. */
  setPicture?(from: string | null): void;
  /** The rest shape, as a ghost: there is no frame to show. */
  rest(): void;
  /** Takes in what was written to `positions`. */
  changed(as: 'true' | 'stale' | 'ghost', steadied?: Float32Array | null): void;
  /** Makes it ready for rays. */
  ready(): void;
  /** Shows maps on it, where it can have any. */
  setMaps?(soak: { weights: Float32Array; colour: string } | null, hatch: { weights: Float32Array; colour: string } | null): void;
  /** How many points there are in what is shown, where some may not be. */
  there?(): number;
  /** How many of them lie still. */
  lying?(): number;
  /** Draws all of it, or as much as can be drawn while things move. */
  setBest?(best: boolean): void;
  bounds(): T.Box3;
  dispose(): void;
}

/** `plain` where drawing is slow. */
export const layerOf = (shape: Shape, plain: boolean, colour: string, redraw: () => void): BodyLayer => {
  if (shape.up.length > 0) return new PlantLayer(shape, colour);
  if (shape.strands.length > 0) return new StrandLayer(shape, colour);
  return shape.radii.length > 0 ? new DriftLayer(shape, plain, colour) : new ClothLayer(shape, plain, colour, redraw);
};
