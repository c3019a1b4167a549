import { expect, test } from 'vitest';
import { framesOf } from '../src/viewport/take-film';

const stretch = (first: number, last: number, chunk: number | null, slot = 0) => ({ first, last, chunk, slot, state: 'true' as const });
const lane = (body: string, ...stretches: ReturnType<typeof stretch>[]) => ({ body, stretches }) as never;

test('a film is of the first frames of chunks, as far apart as may be', () => {
  const long = lane('a', ...Array.from({ length: 20 }, (_, k) => stretch(10 * k, 10 * k + 9, k)));
  const of = framesOf([long]);
  expect(of).toHaveLength(8);
  expect(of.map((f) => f.get('a')!.chunk)).toEqual([0, 2, 5, 7, 10, 12, 15, 17]);
  expect(of.every((f) => f.get('a')!.slot === 0)).toBe(true);
});

test('one chunk moves too, and what has no frame there is left out', () => {
  const of = framesOf([lane('a', stretch(5, 26, 3, 2)), lane('b', stretch(5, 10, 4)), lane('c', stretch(5, 26, null))]);
  expect(of.map((f) => f.get('a')!.slot)).toEqual([2, 5, 8, 11, 14, 17, 20, 23]);
  expect(of.map((f) => f.has('b'))).toEqual([true, true, false, false, false, false, false, false]);
  expect(of.some((f) => f.has('c'))).toBe(false);
  expect(framesOf([])).toEqual([]);
});
