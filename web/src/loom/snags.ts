/** Snags of a lane, those of one kind that follow each other as one: what an artist works through. */
import type { Lane, Snag } from '../api/http';

export type SnagRun = {
  body: string;
  first: number;
  last: number;
  /** Frames of it that have any. */
  frames: number;
  /** Its worst, and the frame of that. */
  worst: Snag;
  at: number;
  large: boolean;
};

/** Frames without any that do not part two. */
const GAP = 4;
const kindOf = (s: Snag) => `${s.snag} ${JSON.stringify(s.with ?? null)}`;
const worse = (a: Snag, b: Snag) => a.worst > b.worst || (a.worst === b.worst && a.count > b.count);

/** The runs of a lane: the large ones first, and of those the longest. */
export function snagRuns(lane: Pick<Lane, 'body' | 'snags'>): SnagRun[] {
  const done: SnagRun[] = [];
  const open = new Map<string, SnagRun>();
  for (const { frame, snags } of lane.snags) {
    const counted = new Set<string>();
    for (const s of snags) {
      const kind = kindOf(s);
      const run = open.get(kind);
      const large = s.grade === 'large';
      if (!run || frame - run.last > GAP + 1) {
        const next = { body: lane.body, first: frame, last: frame, frames: 1, worst: s, at: frame, large };
        open.set(kind, next);
        done.push(next);
      } else {
        run.frames += counted.has(kind) ? 0 : 1;
        run.last = frame;
        run.large ||= large;
        if (worse(s, run.worst)) [run.worst, run.at] = [s, frame];
      }
      counted.add(kind);
    }
  }
  return done.sort((a, b) => Number(b.large) - Number(a.large) || b.frames - a.frames || a.first - b.first);
}
