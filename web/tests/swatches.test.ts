import { expect, test } from 'vitest';
import { cost, crossed, steps } from '../src/stream/swatches';

test('values go evenly, and by equal factors where one end is ten times the other', () => {
  expect(steps(1, 3, 5)).toEqual([1, 1.5, 2, 2.5, 3]);
  expect(steps(10, 1000, 3)).toEqual([10, 100, 1000]);
  expect(steps(1000, 10, 3)).toEqual([1000, 100, 10]);
  // Where one end is nothing or below it there are no factors.
  expect(steps(0, 100, 3)).toEqual([0, 50, 100]);
  expect(steps(-1, 1, 3)).toEqual([-1, 0, 1]);
  expect(steps(5, 5, 1)).toEqual([5]);
});

test('two numbers are crossed row by row, and what many points cost is told', () => {
  const of = (...names: string[]) => names.map((name) => ({ name, patch: [{ op: 'replace' as const, path: `/${name}`, value: 1 }] }));
  const all = crossed(of('a', 'b'), of('x', 'y'));
  expect(all.map((s) => s.name)).toEqual(['a · x', 'b · x', 'a · y', 'b · y']);
  expect(all[1]!.patch.map((p) => p.path)).toEqual(['/b', '/x']);
  expect(cost(1000, 20)).toBeCloseTo(10 * cost(1000, 2), 9);
});
