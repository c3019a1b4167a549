import { describe, expect, it } from 'vitest';
import { columns, csv, type Read } from '../src/state/readout';
import { blendOf } from '../src/viewport/loop-blend';

const reading = (frame: number, speed: number) => ({ frame, place: [0, speed, 0], velocity: [speed, 0, 0], speed, way: frame });
const read = (name: string, first: number, speeds: number[]) =>
  ({ name, points: 1, rate: 24, lag: null, readings: speeds.map((s, k) => reading(first + k, s)) }) as unknown as Read;

describe('what is read out', () => {
  const both = [read('As it is', 0, [1, 2, 3]), read('Take "one"', 2, [5, 6])];

  it('stands frame by frame, and what has no such frame is a gap', () => {
    expect(columns(both, (r) => r.speed)).toEqual([
      [0, 1, 2, 3],
      [1, 2, 3, null],
      [null, null, 5, 6],
    ]);
    expect(columns([], (r) => r.speed)).toEqual([[]]);
  });

  it('is a line a frame as CSV, with names that may hold anything', () => {
    const lines = csv(both).trim().split('\n');
    expect(lines).toHaveLength(6);
    expect(lines[0]!.split(',')).toHaveLength(10);
    expect(lines[4]).toBe('"Take ""one""",2,0,5,0,5,0,0,5,2');
  });
});

describe('a loop', () => {
  it('is blended at its end alone, and level where it begins again', () => {
    const l = { from: 8, length: 10, blend: 4 };
    const much = Array.from({ length: 10 }, (_, k) => blendOf(l, k));
    expect(much.slice(0, 6)).toEqual([0, 0, 0, 0, 0, 0]);
    expect(much[6]! + much[9]!).toBeCloseTo(1, 12);
    expect(much[9]!).toBeGreaterThan(much[8]!);
    expect(blendOf({ ...l, blend: 0 }, 9)).toBe(0);
  });
});
