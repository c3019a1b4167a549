import { expect, test } from 'vitest';
import { faced, finishedAt, spread, through, type Finished, type PartsStep } from '../src/api/finish';
import { binomial } from '../src/viewport/steadied';

const over = Uint32Array.of(0, 1, 4, 1, 2, 4, 2, 3, 4, 3, 0, 4);
/** A square of two triangles whose middle point is half of each end of its diagonal. */
const parts: PartsStep = {
  times: 1,
  count: 5,
  from: Uint32Array.of(0, 1, 2, 3, 4, 6),
  points: Uint32Array.of(0, 1, 2, 3, 0, 2),
  parts: Float32Array.of(1, 1, 1, 1, 0.5, 0.5),
};
const square = [0, 0, 0, 1, 0, 0, 1, 0, -1, 0, 0, -1];

test('a finished point is the sum of its parts, whatever numbers these have', () => {
  const out = new Float32Array(15);
  spread(parts, square, 3, out);
  expect([...out.slice(12)]).toEqual([0.5, 0, -0.5]);
  expect([...through({ steps: [parts], triangles: over }, [1, 2, 3, 4], 1)]).toEqual([1, 2, 3, 4, 2]);
});

test('its normals face away from the side that is seen clockwise, and are of length one', () => {
  const { up } = finishedAt({ steps: [parts], triangles: over }, Float32Array.from(square));
  for (let k = 0; k < 5; k++) expect([...up.slice(3 * k, 3 * k + 3)]).toEqual([0, 1, 0]);
  const own = new Float32Array(15);
  faced(Float32Array.from([...square, 0.5, 0, -0.5]), over, own);
  expect([...own]).toEqual([...up]);
});

test('what is thick stands off to both sides, and what is under has it the other way round', () => {
  const thick: Finished = {
    steps: [parts, { half: new Float32Array(5).fill(0.1), rest: new Float32Array(15), surface: over }],
    triangles: over,
  };
  const { at, up } = finishedAt(thick, Float32Array.from(square));
  for (let k = 0; k < 5; k++) {
    expect(at[3 * k + 1]).toBeCloseTo(0.1);
    expect(at[15 + 3 * k + 1]).toBeCloseTo(-0.1);
    expect(up[15 + 3 * k + 1]).toBe(-1);
  }
  expect([...through(thick, [1, 2, 3, 4], 1, true).slice(5)]).toEqual([-1, -2, -3, -4, -2]);
  expect([...through(thick, [1, 2, 3, 4], 1).slice(5)]).toEqual([1, 2, 3, 4, 2]);
});

test('two layers that lie on each other share the room between them', () => {
  // Two squares, one over the other, that at rest are far apart.
  const at = Float32Array.from([...square, ...square.map((c, k) => (k % 3 === 1 ? 0.02 : c))]);
  const rest = Float32Array.from([...square, ...square.map((c, k) => (k % 3 === 0 ? c + 9 : c))]);
  const surface = Uint32Array.of(0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7);
  const f: Finished = { steps: [{ half: new Float32Array(8).fill(0.02), rest, surface }], triangles: surface };
  const { at: now } = finishedAt(f, at);
  // What stands off above the lower one, and beneath the upper one.
  for (let k = 0; k < 4; k++) expect(now[3 * k + 1]!).toBeLessThan(now[3 * (8 + 4 + k) + 1]!);
  // On the other sides there is room for all of it.
  for (let k = 0; k < 4; k++) expect(now[3 * (8 + k) + 1]).toBeCloseTo(-0.02);
});

test('the weights of what is evened in time add up to one, most in the middle', () => {
  expect(binomial(0)).toEqual([1]);
  expect(binomial(1)).toEqual([0.25, 0.5, 0.25]);
  const w = binomial(6);
  expect(w.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12);
  expect(Math.max(...w)).toBe(w[6]);
});
