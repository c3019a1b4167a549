/** Inflatables: seams, chambers, what they hold, and frames frozen as meshes. */
import { useQuery } from '@tanstack/react-query';
import { http, told, type Body, type MeshHead, type Op } from '../api/http';
import { addMeshBody, addMeshCollider, freeKey, freeName } from '../bench/things';
import { say } from './here';
import { useFrame } from './motion';
import { edit, editBy, tell } from './project';
import { now, openId, useLanes, useOpen, useScene } from './queries';
import { clothOf } from './value';

type Schema = Record<string, unknown>;
export type Cloth = Extract<Body['kind'], { cloth: unknown }>['cloth'];
export type Seam = NonNullable<Cloth['seams']>[string];
export type Chamber = NonNullable<Cloth['chambers']>[string];

/** The shapes that are sewn of panels, each with its seams and a chamber, as the core begins them. */
export function sewnShapes(schema: Schema | null): { kind: string; cloth: Cloth }[] {
  const found = (schema?.['$defs'] as Record<string, Schema> | undefined)?.['Cloth'];
  return ((found?.['examples'] ?? []) as Cloth[]).map((cloth) => ({ kind: Object.keys(cloth.shape)[0]!, cloth }));
}

/** One of these whose fill begins with the scene. */
export function begunAt(cloth: Cloth, first: number): Cloth {
  const of = structuredClone(cloth);
  for (const c of Object.values(of.chambers ?? {})) {
    const v = 'pressure' in c.fill ? c.fill.pressure : c.fill.volume;
    if (typeof v === 'object') for (const k of v.keys ?? []) k.frame += first;
  }
  return of;
}

/** What a body holds at the frame on screen. */
export function useFilled(body: string) {
  const id = useOpen();
  const frame = useFrame(true);
  const of = useScene((s) => JSON.stringify([s.bodies[body]?.kind, s.frames])) ?? '';
  const revision = useScene((s) => s) as unknown;
  const computed = useLanes((all) =>
    all.find((l) => l.body === body)?.stretches.some((s) => s.state === 'true' && s.first <= frame && frame <= s.last),
  );
  return useQuery({
    queryKey: ['filled', id, body, of, frame, revision, computed],
    queryFn: () => told(http.GET('/api/projects/{id}/bodies/{body}/filled', { params: { path: { id, body }, query: { frame } } })),
    enabled: of !== '',
    gcTime: 20_000,
    retry: 0,
    placeholderData: (before) => before,
  }).data;
}

const pathOf = (body: string) => `/bodies/${body}/kind/cloth`;

/** Adds something to one of the lists of a cloth, which may not have it yet. */
function put(own: Cloth, body: string, list: 'seams' | 'chambers', id: string, value: unknown): Op[] {
  return Object.keys(own[list] ?? {}).length === 0
    ? [{ op: 'add', path: `${pathOf(body)}/${list}`, value: { [id]: value } }]
    : [{ op: 'add', path: `${pathOf(body)}/${list}/${id}`, value }];
}

/** Sews two borders of a body. */
export const addSeam = (body: string, sides: [string, string]) =>
  editBy((scene) => {
    const own = clothOf(scene.bodies[body]!);
    if (!own) return null;
    const name = freeName('Seam', own.seams ?? {});
    const value = { name, of: sides.map((b) => ({ borders: [b] })), closes: 12 };
    return { label: `${name}: ${sides.join(' and ')} sewn`, patch: put(own, body, 'seams', freeKey(name, own.seams ?? {}), value) };
  });

/** Gives a body a chamber of all its panels. */
export const addChamber = (body: string) =>
  editBy((scene) => {
    const own = clothOf(scene.bodies[body]!);
    if (!own) return null;
    const name = freeName('Inside', own.chambers ?? {});
    const first = scene.frames.first;
    const keys = [
      { frame: first, value: 0 },
      { frame: first + 24, value: 60 },
    ];
    return {
      label: `${name} of ${scene.bodies[body]!.name}`,
      patch: put(own, body, 'chambers', freeKey(name, own.chambers ?? {}), { name, fill: { pressure: { keys } } }),
    };
  });

/** Takes one of a list away, and the list with its last. */
export const takeAway = (body: string, list: 'seams' | 'chambers', id: string) =>
  editBy((scene) => {
    const own = clothOf(scene.bodies[body]!)?.[list];
    if (!own?.[id]) return null;
    const last = Object.keys(own).length === 1;
    return {
      label: `${own[id].name} taken away`,
      patch: [{ op: 'remove', path: last ? `${pathOf(body)}/${list}` : `${pathOf(body)}/${list}/${id}` }],
    };
  });

/** Cuts a seam at a frame: it holds until then. */
export const cutAt = (body: string, id: string, name: string, frame: number) =>
  edit(`${name} cut at ${frame}`, [
    {
      op: 'add',
      path: `${pathOf(body)}/seams/${id}/hold`,
      value: {
        keys: [
          { frame: frame - 1, value: 1 },
          { frame, value: 0 },
        ],
      },
    },
  ]);

/** Makes a sewn shape another, with its seams and its chamber. */
export const remake = (body: string, name: string, to: { kind: string; cloth: Cloth }) =>
  editBy((scene) => {
    const own = begunAt(to.cloth, scene.frames.first);
    const set = (key: 'shape' | 'seams' | 'chambers'): Op => ({ op: 'add', path: `${pathOf(body)}/${key}`, value: own[key] });
    return { label: `${name} is a ${to.kind}`, patch: [set('shape'), set('seams'), set('chambers')] };
  });

/** Freezes the frame on screen as a mesh of the project, and makes something of it. */
export async function freeze(body: string, name: string, frame: number, smooth: number, as: 'body' | 'collider' | 'obj' | 'glb' | 'usda') {
  const id = openId();
  let made: MeshHead;
  try {
    made = await told(
      http.POST('/api/projects/{id}/bodies/{body}/freeze', { params: { path: { id, body } }, body: { frame, smooth, as_is: false } }),
    );
  } catch (error) {
    return tell(error);
  }
  const wanted = `${name} at ${frame}`;
  if (as === 'body') await addMeshBody(wanted, made.blob, made.size);
  else if (as === 'collider') await addMeshCollider(wanted, made.blob, 'mesh');
  else {
    const a = document.createElement('a');
    a.href = `/api/meshes/${made.blob}?format=${as}`;
    a.download = `${wanted}.${as}`;
    a.click();
    say({ title: `${wanted}.${as}`, detail: `${made.points} points, ${made.triangles} triangles`, tone: 'note' });
  }
}

export const bordersOf = (body: string) => now.shape(body)?.head.borders ?? [];
