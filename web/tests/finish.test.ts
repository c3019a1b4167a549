import { expect, test } from 'vitest';
import { faced, spread, type Finished } from '../src/api/finish';

/** A square of two triangles whose middle point is half of each end of its diagonal. */
const square: Finished = {
  head: { points: 5, parts: 6, surface: 4, triangles: 4, half: 0 },
  from: Uint32Array.of(0, 1, 2, 3, 4, 6),
  points: Uint32Array.of(0, 1, 2, 3, 0, 2),
  parts: Float32Array.of(1, 1, 1, 1, 0.5, 0.5),
  surface: Uint32Array.of(0, 1, 4, 1, 2, 4, 2, 3, 4, 3, 0, 4),
  triangles: Uint32Array.of(0, 1, 4, 1, 2, 4, 2, 3, 4, 3, 0, 4),
};

test('a finished point is the sum of its parts, whatever numbers these have', () => {
  const at = [0, 0, 0, 1, 0, 0, 1, 0, -1, 0, 0, -1];
  const out = new Float32Array(15);
  spread(square, at, 3, out);
  expect([...out.slice(12)]).toEqual([0.5, 0, -0.5]);
  const one = new Float32Array(5);
  spread(square, [1, 2, 3, 4], 1, one);
  expect([...one]).toEqual([1, 2, 3, 4, 2]);
});

test('its normals face away from the side that is seen clockwise, and are of length one', () => {
  const at = new Float32Array(15);
  spread(square, [0, 0, 0, 1, 0, 0, 1, 0, -1, 0, 0, -1], 3, at);
  const up = new Float32Array(15);
  faced(at, square.surface, up);
  for (let k = 0; k < 5; k++) expect([...up.slice(3 * k, 3 * k + 3)]).toEqual([0, 1, 0]);
});
