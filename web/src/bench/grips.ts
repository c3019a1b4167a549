/** Choosing points and holding them. */
import type { Choice } from '../api/http';
import { edit, useScene } from '../store/scene';
import { setView, useView } from '../store/view';
import { freeKey, removeBody, theBody } from './bodies';
import { removeField } from './fields';

/** Holds points to the world as a new grip. */
async function hold(body: string, name: string, points: Choice[]) {
  const grips = useScene.getState().project?.scene.bodies[body]?.grips ?? {};
  const names = new Set(Object.values(grips).map((g) => g.name));
  let n = 2;
  let free = name;
  while (names.has(free)) free = `${name} ${n++}`;
  const id = freeKey(free, grips);
  const value = { name: free, points, to: 'world' };
  if (await edit(`${free} held`, [{ op: 'add', path: `/bodies/${body}/grips/${id}`, value }])) {
    setView({ grip: id, points: [] });
  }
}

/** Holds the chosen points, by where they are on the rest shape, so that a change of density keeps them. */
export async function holdChosen() {
  const body = theBody();
  const { points } = useView.getState();
  const shape = body ? useScene.getState().shapes[body] : undefined;
  if (!body || !shape || points.length === 0) return;
  const place = (p: number) => [0, 1, 2].map((k) => Number(shape.rest[3 * p + k]!.toFixed(5)));
  await hold(body, points.length === 1 ? 'Point' : `${points.length} points`, [{ near: points.map(place) } as Choice]);
}

export async function holdBorder(body: string, border: string) {
  await hold(body, `${capital(border)} border`, [{ border: { border, by: 'all' } } as Choice]);
}

export async function holdEyelets(body: string, border: string, count: number) {
  await hold(body, `Eyelets, ${border}`, [{ border: { border, by: { eyelets: count } } } as Choice]);
}

export async function holdEvery(body: string, border: string, every: number) {
  await hold(body, `Every ${every}, ${border}`, [{ border: { border, by: { every } } } as Choice]);
}

export async function holdCorner(body: string, corner: string) {
  await hold(body, `${capital(corner)} corner`.replace(/ corner corner$/, ' corner'), [{ corner } as Choice]);
}

export async function removeGrip(body: string, grip: string) {
  const g = useScene.getState().project?.scene.bodies[body]?.grips?.[grip];
  if (g && (await edit(`${g.name} let go`, [{ op: 'remove', path: `/bodies/${body}/grips/${grip}` }]))) setView({ grip: null });
}

/** Removes what is chosen in the step that is open. */
export async function deleteChosen() {
  const { step, body, grip, field } = useView.getState();
  if (step === 'Hold' && grip) {
    const of = theBody();
    if (of) await removeGrip(of, grip);
  } else if (step === 'Air' && field) await removeField(field);
  else if (step === 'Shape' && body) await removeBody(body);
}

const capital = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);
