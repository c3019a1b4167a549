import type { Lane, Run, Snag, Touched } from '../api/http';
import { count } from '../ui/sum';
import type { SnagRun } from './snags';

/** What a lane's frames are, in a few words. */
export function laneWords(lane: Lane): string {
  const { true: yes, stale, missing } = lane.counts;
  if (lane.fault) return 'can’t run';
  if (stale > 0) {
    const s = lane.stretches.filter((x) => x.state === 'stale');
    return `${s[0]!.first} to ${s.at(-1)!.last} out of date`;
  }
  if (missing === 0) return 'up to date';
  if (yes === 0) return 'not run';
  const m = lane.stretches.find((x) => x.state === 'missing');
  return `up to date until ${m!.first - 1}`;
}

const about = (s: number) => (s < 90 ? `${Math.max(1, Math.round(s))} s` : `${Math.round(s / 60)} min`);
const time = (s: number) => `${Math.floor(s / 60)}:${String(Math.ceil(s) % 60).padStart(2, '0')}`;

/** How a run is doing, in a line. */
export function runWords(r: Run): string {
  const speed = r.rate > 0 ? `, ${r.rate.toFixed(r.rate < 10 ? 1 : 0)} frames a second` : '';
  switch (r.state) {
    case 'queued':
      return r.waits ? `waits behind ${r.waits.behind.join(', ')}, about ${about(r.waits.seconds)}` : 'waiting for a worker';
    case 'running':
      if (r.message) return r.message;
      return `${r.take == null ? '' : 'a take: '}${r.done} of ${r.total}${speed}${r.left ? `, ${time(r.left)} left` : ''}`;
    case 'cancelled':
      return `cancelled at ${r.done} of ${r.total}; what was computed stays`;
    case 'failed':
      return r.message;
    default:
      return r.computed === 0 ? 'nothing had to be computed' : `${r.computed} frames computed${speed}`;
  }
}

/** What a body touches, in a word. */
export function touchedWords(t: Touched): string {
  if (t.kind === 'itself') return 'itself';
  return t.kind === 'floor' ? 'the floor' : t.name;
}

/** Frames in words. */
export const framesWords = (first: number, last: number) => (first === last ? `frame ${first}` : `frames ${first} to ${last}`);

/** What a run of snags is, in a line. */
export const snagRunWords = (r: SnagRun, strands: boolean) => `${snagWords(r.worst, strands)}, ${framesWords(r.first, r.last)}`;

/** What is wrong with a frame of a body, in a line. */
export function snagWords(s: Snag, strands: boolean): string {
  const many = (one: string, more: string) => count(s.count, one, more);
  switch (s.snag) {
    case 'crossing':
      return strands
        ? `${many('segment goes', 'segments go')} through ${s.with ? touchedWords(s.with) : 'a surface'}`
        : `${many('pair of triangles crosses', 'pairs of triangles cross')} ${s.with ? touchedWords(s.with) : ''}`;
    case 'inside':
      return `${many('point is', 'points are')} inside ${s.with ? touchedWords(s.with) : 'a collider'}, by ${(s.worst * 1000).toFixed(1)} mm at most`;
    case 'overstretch':
      return `${strands ? many('segment is', 'segments are') : many('triangle is', 'triangles are')} overstretched, by ${(s.worst * 100).toFixed(0)} % at most`;
    case 'leap':
      return s.with
        ? `${touchedWords(s.with)} jumps by ${s.worst.toFixed(1)} m: it was set down there`
        : `what holds it jumps by ${s.worst.toFixed(1)} m: it was carried along as one piece`;
    default:
      return `${many('point pops', 'points pop')} away from their neighbours`;
  }
}

/** Which frames took most sub-steps. */
export function tookWords(l: Lane): string {
  const most = l.took.reduce((a, b) => (b.substeps > a.substeps ? b : a));
  return `up to ${most.substeps} sub-steps, at ${framesWords(most.first, most.last)}`;
}
