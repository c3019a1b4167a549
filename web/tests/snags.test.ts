import { expect, test } from 'vitest';
import { snagRuns } from '../src/loom/snags';

const snag = (kind: string, worst: number, grade: 'small' | 'large', count = 1) => ({ snag: kind, worst, grade, count, point: 0 });

test('snags that follow each other are one, large ones first', () => {
  const snags = [
    ...Array.from({ length: 30 }, (_, k) => ({ frame: 58 + k, snags: [snag('overstretch', k === 12 ? 0.2 : 0.16, 'small')] })),
    { frame: 92, snags: [snag('overstretch', 0.17, 'small'), snag('crossing', 0, 'large', 3)] },
    { frame: 140, snags: [snag('overstretch', 0.3, 'large')] },
  ];
  const runs = snagRuns({ body: 'cape', snags });
  expect(runs.map((r) => [r.worst.snag, r.first, r.last, r.frames, r.at, r.large])).toEqual([
    ['crossing', 92, 92, 1, 92, true],
    ['overstretch', 140, 140, 1, 140, true],
    ['overstretch', 58, 92, 31, 70, false],
  ]);
});

test('what it is with tells them apart, and a frame counts once', () => {
  const with_ = (id: string) => ({ ...snag('inside', 0.002, 'large'), with: { kind: 'collider' as const, id, name: id } });
  const runs = snagRuns({ body: 'a', snags: [{ frame: 1, snags: [with_('p'), with_('q'), with_('p')] }] });
  expect(runs.map((r) => [r.worst.with, r.frames])).toEqual([
    [{ kind: 'collider', id: 'p', name: 'p' }, 1],
    [{ kind: 'collider', id: 'q', name: 'q' }, 1],
  ]);
  expect(snagRuns({ body: 'a', snags: [] })).toEqual([]);
});
