import { describe, expect, it } from 'vitest';
import { Frame, keysOn, type Line } from '../src/loom/curve-field';
import type { Mover } from '../src/state/keys';

/** A line whose keys stand every tenth frame of a thousand, each of a value of its own. */
const line = (path: string): Line => {
  const keys = Array.from({ length: 101 }, (_, k) => ({ frame: 10 * k, value: k }));
  const row = Array.from({ length: 1001 }, (_, f) => f / 10);
  return { mover: { path, motion: { keys }, unit: 'm' } as unknown as Mover, row, colour: '', low: 0, high: 100 };
};

describe('keys on the field', () => {
  it('are those that are seen and those just beside it, each where its frame and value are', () => {
    const frame = new Frame({ from: 200, to: 300, low: 0, high: 100 }, 600, 200, false);
    const seen = [200, 210, 220, 230, 240, 250, 260, 270, 280, 290, 300];
    const keys = keysOn(frame, [line('a'), line('b')], 0);
    expect(keys.map((k) => k.key.frame)).toEqual([...seen, ...seen]);
    for (const k of keys) {
      expect(frame.frame(k.x)).toBeCloseTo(k.key.frame, 6);
      expect(frame.value(k.line, k.y)).toBeCloseTo(k.key.value, 6);
    }
  });
  it('are all of them where all frames are shown, and none where none is', () => {
    const all = new Frame({ from: 0, to: 1000, low: 0, high: 100 }, 600, 200, false);
    expect(keysOn(all, [line('a')], 0)).toHaveLength(101);
    const none = new Frame({ from: 2000, to: 3000, low: 0, high: 100 }, 600, 200, false);
    expect(keysOn(none, [line('a')], 0)).toHaveLength(0);
  });

  it('move by as much as the field does where it is only panned', () => {
    const range = { from: 200, to: 300, low: 0, high: 100 };
    const here = new Frame(range, 600, 200, false);
    const there = new Frame({ from: 190, to: 290, low: 20, high: 120 }, 600, 200, false);
    const [dx, dy] = here.movedBy(there)!;
    const l = line('a');
    expect(there.x(250)).toBeCloseTo(here.x(250) + dx, 6);
    expect(there.y(l, 50)).toBeCloseTo(here.y(l, 50) + dy, 6);
    expect(here.movedBy(new Frame({ ...range, to: 310 }, 600, 200, false))).toBeNull();
  });
});
