/** Choosing points and holding them. */
import { http, told, type Choice } from '../api/http';
import { choosePoints } from '../state/choice';
import { editBy, tell } from '../state/project';
import { now, openId } from '../state/queries';
import { setView, useView } from '../state/view';
import { capital, freeKey, freeName, theBody } from './things';

/** Holds points to the world as a new grip. */
async function hold(body: string, wanted: string, points: Choice[]) {
  let id = '';
  const done = await editBy((scene) => {
    const grips = scene.bodies[body]?.grips ?? {};
    const name = freeName(wanted, grips);
    id = freeKey(name, grips);
    return { label: `${name} held`, patch: [{ op: 'add', path: `/bodies/${body}/grips/${id}`, value: { name, points, to: 'world' } }] };
  });
  if (done) {
    // Not as a choice of its own: undo takes the hold back.
    setView({ grip: id, points: [] });
  }
}

/** Holds the chosen points, as an area of the material: a change of density or size keeps it whole. */
export async function holdChosen() {
  const body = theBody();
  const { points } = useView.getState();
  if (!body || points.length === 0) return;
  try {
    const area = await told(
      http.POST('/api/projects/{id}/bodies/{body}/area', { params: { path: { id: openId(), body } }, body: { points } }),
    );
    await hold(body, points.length === 1 ? 'Point' : 'Patch', [area]);
  } catch (e) {
    tell(e);
  }
}

export const holdBorder = (body: string, border: string) =>
  hold(body, `${capital(border)} border`.replace(/^Border (\d+) border$/, 'Border $1'), [{ border: { border, by: 'all' } } as Choice]);
export const holdEyelets = (body: string, border: string, count: number) =>
  hold(body, `Eyelets, ${border}`, [{ border: { border, by: { eyelets: count } } } as Choice]);
export const holdEvery = (body: string, border: string, every: number) =>
  hold(body, `Every ${every}, ${border}`, [{ border: { border, by: { every } } } as Choice]);
export const holdCorner = (body: string, corner: string) =>
  hold(body, `${capital(corner)} corner`.replace(/^Corner (\d+) corner$/, 'Corner $1'), [{ corner } as Choice]);

/** The points beside each point of a body. */
function neighbours(key: string): Map<number, Set<number>> {
  const out = new Map<number, Set<number>>();
  const t = now.shape(key)?.triangles ?? new Uint32Array();
  const tie = (a: number, b: number) => (out.get(a) ?? out.set(a, new Set()).get(a)!).add(b);
  for (let k = 0; k < t.length; k += 3) {
    for (const [a, b] of [
      [t[k]!, t[k + 1]!],
      [t[k + 1]!, t[k + 2]!],
      [t[k + 2]!, t[k]!],
    ] as const) {
      tie(a, b);
      tie(b, a);
    }
  }
  return out;
}

/** Takes in the points around the chosen ones, or leaves out those at their rim. */
export function grow(by: 1 | -1) {
  const body = theBody();
  const chosen = useView.getState().points;
  if (!body || chosen.length === 0) return;
  const beside = neighbours(body);
  const is = new Set(chosen);
  if (by > 0) choosePoints([...new Set(chosen.flatMap((p) => [p, ...(beside.get(p) ?? [])]))]);
  else choosePoints(chosen.filter((p) => [...(beside.get(p) ?? [])].every((q) => is.has(q))));
}

/** Chooses what is not chosen. */
export function invertChoice() {
  const body = theBody();
  const shape = body && now.shape(body);
  if (!shape) return;
  const is = new Set(useView.getState().points);
  choosePoints(Array.from({ length: shape.head.points }, (_, p) => p).filter((p) => !is.has(p)));
}

/** Takes in all that hangs together with the chosen points. */
export function connectedChoice() {
  const body = theBody();
  const { points } = useView.getState();
  if (!body || points.length === 0) return;
  const beside = neighbours(body);
  const [is, next] = [new Set(points), [...points]];
  while (next.length > 0) {
    for (const q of beside.get(next.pop()!) ?? []) {
      if (!is.has(q)) next.push(q);
      is.add(q);
    }
  }
  choosePoints([...is]);
}

/** Keeps the chosen points by a name. */
export async function keepChoice() {
  const body = theBody();
  const { points } = useView.getState();
  if (!body || points.length === 0) return;
  try {
    const area = await told(
      http.POST('/api/projects/{id}/bodies/{body}/area', { params: { path: { id: openId(), body } }, body: { points } }),
    );
    await editBy((scene) => {
      const all = scene.bodies[body]?.choices ?? {};
      const name = freeName('Choice', all);
      const value = { name, points: [area] };
      const path = `/bodies/${body}/choices`;
      return {
        label: `${name} kept`,
        patch: [
          Object.keys(all).length > 0
            ? { op: 'add', path: `${path}/${freeKey(name, all)}`, value }
            : { op: 'add', path, value: { [freeKey(name, all)]: value } },
        ],
      };
    });
  } catch (e) {
    tell(e);
  }
}

/** Chooses the row of edges that an edge lies in. */
export async function chooseRow(body: string, [from, to]: [number, number], kept: number[] = []) {
  try {
    const { points } = await told(
      http.POST('/api/projects/{id}/bodies/{body}/row', { params: { path: { id: openId(), body } }, body: { from, to } }),
    );
    choosePoints([...new Set([...kept, ...points])]);
  } catch (e) {
    tell(e);
  }
}

/** Chooses the row that the last two chosen points lie in. */
export function chosenRow() {
  const body = theBody();
  const [from, to] = useView.getState().points.slice(-2);
  if (body && from !== undefined && to !== undefined) void chooseRow(body, [from, to]);
}
