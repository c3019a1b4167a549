/** What is drawn of fields and zones, what moves a point, and weathers: as the server has them. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { bytes, http, told, type Field, type Op, type Outlined, type Scene, type Weather } from '../api/http';
import { freeKey, freeName, middle } from '../bench/things';
import { useFrame } from './motion';
import { isPlaced } from './pointer';
import { edit, editBy, tell } from './project';
import { say } from './here';
import { now, useLanes, useOpen, useProject, useScene } from './queries';
import { isMotion } from './value';
import { useView } from './view';

const NONE: Outlined[] = [];

/** Whether anything in it moves. */
const moves = (v: unknown): boolean => typeof v === 'object' && v !== null && (isMotion(v as never) || Object.values(v).some(moves));

/** The outlines of all fields and zones at the frame on screen. */
export function useOutlines(on: boolean): Outlined[] {
  const id = useOpen();
  const [of, goes] = useScene((s) => {
    const zones = Object.values(s.bodies).flatMap((b) =>
      Object.values(b.maps ?? {}).flatMap((m) => m.layers.flatMap((l) => ('zone' in l.weights ? [l.weights.zone] : []))),
    );
    const sources = Object.values(s.bodies).flatMap((b) => ('drift' in b.kind && b.kind.drift.source ? [[b.place, b.kind.drift]] : []));
    const told = JSON.stringify([s.fields, zones, sources]);
    // What stands on others, or comes from them, goes along.
    const rides = ['"on":{', '"figure":{', '"collider":"'].some((on) => told.includes(on));
    const carried = rides ? [s.handles, s.colliders, s.figures] : [];
    return [
      told + JSON.stringify([s.frames, s.alone, s.calm, carried]),
      rides || moves([s.fields, zones, sources]) || Object.values(s.fields ?? {}).some((f) => f.when),
    ] as const;
  }) ?? ['', false];
  const frame = useFrame(on && goes);
  const at = goes ? frame : (now.scene()?.frames.first ?? 0);
  return (
    useQuery({
      queryKey: ['outlines', id, of, at],
      queryFn: async () => (await told(http.GET('/api/projects/{id}/outlines', { params: { path: { id }, query: { frame: at } } }))).each,
      enabled: on && of !== '' && id > 0,
      placeholderData: keepPreviousData,
      structuralSharing: false,
      gcTime: 20_000,
      retry: 0,
    }).data ?? NONE
  );
}

/** What moves a point, over the frames about the one on screen that are true. */
export function useWhy(of: { body: string; point: number } | null) {
  const id = useOpen();
  const revision = useProject((p) => p.revision);
  const [first, last] = useScene((s) => [s.frames.first, s.frames.last] as const) ?? [0, 0];
  const frame = useFrame(of !== null);
  const stretches = useLanes((l) => l.find((x) => x.body === of?.body)?.stretches) ?? [];
  const is = (f: number) => stretches.some((s) => s.state === 'true' && s.first <= f && f <= s.last);
  // The run of true frames that this one is in.
  let [from, to] = [frame, frame];
  while (is(from - 1) && from - 1 >= first && frame - from < 240) from -= 1;
  while (is(to + 1) && to + 1 <= last && to - frame < 240) to += 1;
  const can = is(frame) && to - from >= 2;
  const q = useQuery({
    queryKey: ['why', id, revision, of, can ? [from, to] : []],
    queryFn: ({ signal }) =>
      told(
        http.POST('/api/projects/{id}/bodies/{body}/why', {
          signal,
          params: { path: { id, body: of!.body } },
          body: { point: of!.point, first: from + 1, last: to - 1, apart: false },
        }),
      ),
    enabled: of !== null && can,
    placeholderData: keepPreviousData,
    structuralSharing: false,
    gcTime: 20_000,
    retry: 0,
  });
  // Of the frame that rests on screen what pulls it and what it touches is told too: that is computed once more.
  const [rests, setRests] = useState<number | null>(null);
  useEffect(() => {
    setRests(null);
    const later = setTimeout(() => setRests(frame), 400);
    return () => clearTimeout(later);
  }, [frame]);
  const shown = Math.min(to - 1, Math.max(from + 1, frame));
  const parts = useQuery({
    queryKey: ['why', id, revision, of, shown, 'apart'],
    queryFn: ({ signal }) =>
      told(
        http.POST('/api/projects/{id}/bodies/{body}/why', {
          signal,
          params: { path: { id, body: of!.body } },
          body: { point: of!.point, first: shown, last: shown, apart: true },
        }),
      ),
    enabled: of !== null && can && rests === frame && q.data?.held === false,
    structuralSharing: false,
    gcTime: 20_000,
    retry: 0,
  });
  return {
    why: can && !q.isError ? q.data : undefined,
    parts: can ? parts.data : undefined,
    unparted: parts.error?.message,
    fault: q.error?.message,
    can,
    frame,
    coming: q.isFetching,
  };
}

export const useWeathers = () => useQuery({ queryKey: ['weathers'], queryFn: () => told(http.GET('/api/weathers')) }).data ?? [];

/** Adds fields to the scene, each by a name and a key of its own. */
export function addFields(label: string, fields: Record<string, Field>) {
  return editBy((scene) => {
    const all = { ...scene.fields };
    const patch: Op[] = Object.keys(all).length === 0 ? [{ op: 'add', path: '/fields', value: {} }] : [];
    for (const f of Object.values(fields)) {
      const name = freeName(f.name, all);
      const key = freeKey(name, all);
      const value = fitted(scene, { ...f, name });
      all[key] = value;
      patch.push({ op: 'add', path: `/fields/${key}`, value });
    }
    return { label, patch };
  });
}

/** A field as this scene can have it: it names nothing that is not there, and stands in the world where what it stood on is not. */
function fitted(scene: Scene, f: Field): Field {
  const out = structuredClone(f) as Field & { place?: { on?: unknown }; zone?: { place?: { on?: unknown } } };
  const there = (on: unknown) => {
    const [kind, of] = Object.entries((on ?? {}) as Record<string, unknown>)[0] ?? [];
    const key = typeof of === 'string' ? of : (of as { figure?: string } | undefined)?.figure;
    return (
      key !== undefined && Boolean({ handle: scene.handles, collider: scene.colliders }[kind as 'handle']?.[key] ?? scene.figures?.[key])
    );
  };
  for (const node of [out.place, out.zone?.place, ...(out.zones ?? []).map((z) => z.zone.place as { on?: unknown } | undefined)]) {
    if (node?.on && !there(node.on)) delete node.on;
  }
  const bodies = (of: string[] | null | undefined) => of?.filter((b) => scene.bodies[b]);
  if (out.except) out.except = bodies(out.except) ?? [];
  if (out.only) {
    const only = bodies(out.only) ?? [];
    if (only.length > 0) out.only = only;
    else delete (out as { only?: unknown }).only;
  }
  return out;
}

export const addWeather = (w: Weather) => addFields(`${w.name} added`, w.fields as Record<string, Field>);

const KEPT = 'nematon-air';

/** Keeps all fields of the scene for another project, in this browser. */
export function copyAir() {
  const fields = now.scene()?.fields ?? {};
  localStorage.setItem(KEPT, JSON.stringify(fields));
  say({ title: 'The air is copied', detail: 'Open another project and bring it in there.', tone: 'note' });
}

/** Fields that were copied; none where there are none. */
export function copiedAir(): Record<string, Field> | null {
  try {
    const kept = JSON.parse(localStorage.getItem(KEPT) ?? 'null') as Record<string, Field> | null;
    return kept && Object.keys(kept).length > 0 ? kept : null;
  } catch {
    return null;
  }
}

export function pasteAir() {
  const kept = copiedAir();
  if (!kept) return say({ title: 'No air is copied', detail: 'Copy that of another project first.', tone: 'note' });
  // Skins and shelters name what only their own scene has.
  const there = Object.entries(kept).filter(([, f]) => {
    const of = 'skin' in f.act ? Object.entries(f.act.skin.of)[0] : undefined;
    const scene = now.scene();
    return !of || Boolean((of[0] === 'figure' ? scene?.figures : scene?.colliders)?.[of[1] as string]);
  });
  return addFields('Air brought in', Object.fromEntries(there));
}

/** Puts a field before or behind its neighbour in the list. */
export const moveField = (id: string, by: 1 | -1) =>
  editBy((scene) => {
    const all = Object.entries(scene.fields ?? {});
    const k = all.findIndex(([key]) => key === id);
    const other = all[k + by];
    if (k < 0 || !other) return null;
    [all[k], all[k + by]] = [other, all[k]!];
    return {
      label: `${all[k + by]![1].name} moved in the list`,
      patch: [{ op: 'replace', path: '/fields', value: Object.fromEntries(all) }],
    };
  });

/** Lets one field act alone, or all again. */
export const actAlone = (id: string | null, name: string) =>
  id ? edit(`${name} alone`, [{ op: 'add', path: '/alone', value: id }]) : edit('All fields act again', [{ op: 'remove', path: '/alone' }]);

/** Lets the open field act alone, or all again where it does. */
export function fieldAlone() {
  const { field } = useView.getState();
  const scene = now.scene();
  const name = field && scene?.fields?.[field]?.name;
  if (field && name) void actAlone(scene.alone === field ? null : field, name);
}

/** Reads the curves of a file. */
export async function readCurves(file: File) {
  try {
    return (await told(http.POST('/api/curves', { params: { query: { name: file.name } }, ...bytes(file) }))).curves;
  } catch (e) {
    tell(e);
    return null;
  }
}

/** What a kind begins with beside its numbers. */
export function beginsAt(
  scene: Scene,
  schema: Record<string, unknown> | null,
  kind: string,
  begins: Record<string, unknown>,
): (Pick<Field, 'act'> & { place?: unknown }) | null {
  if (kind === 'skin') {
    const collider = Object.entries(scene.colliders ?? {}).find(([, c]) => !('plane' in c.form) && !('figure' in c.form))?.[0];
    const figure = Object.keys(scene.figures ?? {})[0];
    if (!collider && !figure) return null;
    return { act: { skin: { ...begins, of: collider ? { collider } : { figure } } } as never };
  }
  return { act: { [kind]: begins } as never, ...(isPlaced(schema, kind) ? { place: { position: middle(), turn: [0, 0, 0] } } : {}) };
}
