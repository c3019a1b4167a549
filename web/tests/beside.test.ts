import { expect, test } from 'vitest';
import { apart, roundUp } from '../src/viewport/beside';

test('how far apart two takes are is told point by point', () => {
  const a = new Float32Array([0, 0, 0, 1, 0, 0]);
  const found = apart(a, new Float32Array([0, 0, 0, 1, 0.03, 0.04]))!;
  expect([...found.each].map((d) => Math.round(1e6 * d))).toEqual([0, 50000]);
  expect(found.farthest).toBeCloseTo(0.05, 6);
  expect(apart(a, new Float32Array(3))).toBeNull();
  // What is not there in one of them is not apart.
  expect(apart(a, new Float32Array([NaN, NaN, NaN, 1, 0, 0]))!.farthest).toBe(0);
});

test('the deepest dye stands for a round number', () => {
  expect([0.0123, 0.05, 0.0501, 0.9, 1, 0].map(roundUp)).toEqual([0.015, 0.05, 0.06, 1, 1, 0.001].map((x) => expect.closeTo(x, 9)));
});
