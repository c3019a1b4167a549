import { describe, expect, it } from 'vitest';
import { changed, countChosen, isChosen, movers } from '../src/state/keys';

const keys = [0, 10, 20].map((frame) => ({ frame, value: frame / 10 }));
const by = (n: number) => (k: { frame: number; value: number }) => ({ ...k, frame: k.frame + n });
const frames = (of: { frame: number }[]) => of.map((k) => k.frame);

describe('chosen keys', () => {
  it('move, and take the place of those they come to', () => {
    expect(changed(keys, [10], by(10), false)).toEqual([
      { frame: 0, value: 0 },
      { frame: 20, value: 1 },
    ]);
    expect(frames(changed(keys, [0, 10, 20], by(-5), false))).toEqual([-5, 5, 15]);
  });

  it('are copied, and those they come from stay', () => {
    expect(frames(changed(keys, [0, 10], by(5), true))).toEqual([0, 5, 10, 15, 20]);
  });

  it('that come to one frame leave the last of them', () => {
    const to = changed(keys, [0, 10], (k) => ({ ...k, frame: 3 }), false);
    expect(to).toEqual([
      { frame: 3, value: 1 },
      { frame: 20, value: 2 },
    ]);
  });

  it('are counted over all numbers', () => {
    const chosen = { '/a': [1, 2], '/b': [2] };
    expect(countChosen(chosen)).toBe(3);
    expect([isChosen(chosen, '/a', 2), isChosen(chosen, '/b', 1), isChosen(chosen, '/c', 1)]).toEqual([true, false, false]);
  });
});

describe('numbers that move', () => {
  it('are found wherever they stand, in the order of the scene', () => {
    const moving = { keys };
    const scene = {
      handles: { hook: { name: 'Hook', place: { position: [0, moving, 0] } } },
      fields: { 'a/b': { name: 'Wind', act: { wind: { speed: moving, heading: 2 } } } },
      bodies: {},
    };
    const found = movers(scene as never, null);
    expect(found.map((m) => [m.path, m.of])).toEqual([
      ['/handles/hook/place/position/1', 'Hook'],
      ['/fields/a~1b/act/wind/speed', 'Wind'],
    ]);
    expect(found[0]!.named.endsWith(' y')).toBe(true);
  });
});
