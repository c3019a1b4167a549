/** Chosen points, with the way back: a misclick loses nothing. */
import { now } from './queries';
import { setView, useView } from './view';

type Was = { body: string | null; points: number[]; revision: number };
const before: Was[] = [];
let after: Was[] = [];

const here = (): Was => ({ body: useView.getState().body, points: useView.getState().points, revision: now.project()?.revision ?? 0 });

/** Chooses points of the chosen body. */
export function choosePoints(points: number[]) {
  const was = here();
  if (points.length === was.points.length && points.every((p, k) => p === was.points[k])) return;
  before.push(was);
  if (before.length > 100) before.shift();
  after = [];
  setView({ points });
}

function turn(from: Was[], to: Was[]): boolean {
  const was = from.at(-1);
  const is = here();
  // Older than the last edit: the edit comes first.
  if (!was || was.revision !== is.revision || was.body !== is.body) return false;
  from.pop();
  to.push(is);
  setView({ points: was.points });
  return true;
}

/** Takes the last choice back, if nothing was edited since. */
export const unchoose = () => turn(before, after);
export const rechoose = () => turn(after, before);
