import { expect, test } from 'vitest';
import { steps } from '../src/stream/swatches';

test('values go evenly, and by equal factors where one end is ten times the other', () => {
  expect(steps(1, 3, 5)).toEqual([1, 1.5, 2, 2.5, 3]);
  expect(steps(10, 1000, 3)).toEqual([10, 100, 1000]);
  expect(steps(1000, 10, 3)).toEqual([1000, 100, 10]);
  // Where one end is nothing or below it there are no factors.
  expect(steps(0, 100, 3)).toEqual([0, 50, 100]);
  expect(steps(-1, 1, 3)).toEqual([-1, 0, 1]);
  expect(steps(5, 5, 1)).toEqual([5]);
});
