/** Adding, placing and removing colliders. */
import { bringIn } from '../api/meshes';
import { Problem, type Collider } from '../api/http';
import { edit, say, useScene } from '../store/scene';
import { goTo, setView } from '../store/view';
import { freeKey } from './bodies';

export const FORMS = {
  ball: { name: 'Ball', form: { ball: { radius: 0.25 } } },
  capsule: { name: 'Capsule', form: { capsule: { radius: 0.15, length: 0.6 } } },
  box: { name: 'Box', form: { box: { size: [0.5, 0.5, 0.5] } } },
  plane: { name: 'Plane', form: { plane: {} } },
} as const;

export type FormKind = keyof typeof FORMS | 'hull' | 'mesh';

export const formOf = (c: Collider) => Object.keys(c.form)[0] as FormKind;

async function add(wanted: string, form: unknown) {
  const colliders = useScene.getState().project?.scene.colliders ?? {};
  const id = freeKey(wanted, colliders);
  const value = { name: wanted, form, place: { position: [0, 'plane' in (form as object) ? 0 : 0.5, 0], turn: [0, 0, 0] } };
  // A scene that never had one has no place for them yet.
  const none = Object.keys(colliders).length === 0;
  const patch = none ? [{ op: 'add' as const, path: '/colliders', value: { [id]: value } }] : [{ op: 'add' as const, path: `/colliders/${id}`, value }];
  if (await edit(`${wanted} added`, patch)) {
    setView({ collider: id });
    goTo('Contact');
  }
}

export const addCollider = (kind: keyof typeof FORMS) => add(FORMS[kind].name, FORMS[kind].form);

/** Brings in a mesh file as a collider. */
export async function addMeshCollider(file: File, kind: 'hull' | 'mesh') {
  try {
    const mesh = await bringIn(file);
    const name = file.name.replace(/\.[^.]+$/, '');
    await add(name.charAt(0).toUpperCase() + name.slice(1), { [kind]: { from: { blob: mesh.blob } } });
  } catch (e) {
    const detail = e instanceof Problem && e.status !== 0 ? e.message : 'It did not come through. Nothing was kept; try again.';
    say({ title: e instanceof Problem ? e.title : 'Not brought in', detail, tone: 'fault' });
  }
}

export async function removeCollider(id: string) {
  const c = useScene.getState().project?.scene.colliders?.[id];
  if (c && (await edit(`${c.name} removed`, [{ op: 'remove', path: `/colliders/${id}` }]))) setView({ collider: null });
}

/** Puts a collider where the manipulator left it. */
export const placeCollider = (id: string, name: string, position: number[], turn: number[]) =>
  edit(`${name} placed`, [{ op: 'add', path: `/colliders/${id}/place`, value: { position, turn } }]);

type Placed = { position: number[]; turn: number[] };

/** Where a collider is at a frame: straight ways between its keys. */
export function placeAt(c: Collider, frame: number): Placed {
  const rest = { position: c.place?.position ?? [0, 0, 0], turn: c.place?.turn ?? [0, 0, 0] };
  const keys = c.keys ?? [];
  if (keys.length === 0) return rest;
  const of = (k: (typeof keys)[number]): Placed => ({ position: k.position ?? [0, 0, 0], turn: k.turn ?? [0, 0, 0] });
  const after = keys.findIndex((k) => k.frame > frame);
  if (after === 0) return of(keys[0]!);
  if (after < 0) return of(keys.at(-1)!);
  const [a, b] = [keys[after - 1]!, keys[after]!];
  const t = (frame - a.frame) / (b.frame - a.frame);
  const mix = (p: number[], q: number[]) => p.map((v, k) => v + t * (q[k]! - v));
  return { position: mix(of(a).position, of(b).position), turn: mix(of(a).turn, of(b).turn) };
}
