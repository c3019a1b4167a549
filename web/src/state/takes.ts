/** Takes: what was said to be kept, the way back to it, and the one that is compared with what is on screen. */
import { keepPreviousData, queryOptions, useQueries, useQuery } from '@tanstack/react-query';
import { create } from 'zustand';
import { http, told, type Lane, type Project, type Take } from '../api/http';
import { readTakenShape, type Shape } from '../api/shape';
import { say } from './here';
import { client, now, openId, useOpen } from './queries';
import { changeBy, tell } from './project';

/** How a take is seen with what is on screen: over it, at its side, or as how far apart they are. */
export type How = 'over' | 'side' | 'apart' | 'blink';
export const useBeside = create<{ on: { project: number; take: number; how: How } | null }>(() => ({ on: null }));
/** Compares a take with what is on screen; with none, no more. */
export const compare = (take: number | null, how: How = 'over') =>
  useBeside.setState({ on: take === null ? null : { project: openId(), take, how } });

const path = (id: number, take: number) => ({ params: { path: { id, take } } });
const takes = (id: number) =>
  queryOptions({
    queryKey: ['takes', id],
    queryFn: (): Promise<Take[]> => told(http.GET('/api/projects/{id}/takes', { params: { path: { id } } })),
  });

export function useTakes(): Take[] {
  const id = useOpen();
  return useQuery({ ...takes(id), enabled: id > 0 }).data ?? [];
}
/** As they are by now. */
export const readTakes = () => client.fetchQuery({ ...takes(openId()), staleTime: 0 });
export const refreshTakes = () => void client.invalidateQueries({ queryKey: ['takes', openId()] });

const lanesOf = (id: number, take: number | null) =>
  queryOptions({
    queryKey: ['take', id, take],
    queryFn: (): Promise<Lane[]> => told(http.GET('/api/projects/{id}/takes/{take}/lanes', path(id, take ?? 0))),
    enabled: id > 0 && take !== null,
  });
const shapeOf = (id: number, take: number, body: string) =>
  queryOptions({
    queryKey: ['take shape', id, take, body],
    queryFn: () => readTakenShape(id, take, body),
    structuralSharing: false as const,
    gcTime: 60_000,
  });
/** Bodies that have frames in it. */
const framed = (lanes: Lane[]) => lanes.filter((l) => l.stretches.some((s) => s.chunk != null));

let drawing: Promise<unknown> = Promise.resolve();
/** Some of its frames as small pictures beside each other, drawn one take after another; none where there are none. */
export function useFilm(take: number): { strip: string; count: number } | null {
  const id = useOpen();
  const { data: lanes } = useQuery(lanesOf(id, take));
  const chunks = framed(lanes ?? []).flatMap((l) => l.stretches.flatMap((s) => (s.chunk != null ? [s.chunk] : [])));
  const { data } = useQuery({
    queryKey: ['take film', id, take, chunks.join()],
    queryFn: async () => {
      const own = framed(lanes ?? []);
      const shapes = await Promise.all(own.map((l) => client.fetchQuery(shapeOf(id, take, l.body))));
      const { film } = await import('../viewport/take-film');
      const made = drawing.then(() => film(own, Object.fromEntries(own.map((l, k) => [l.body, shapes[k]!]))));
      drawing = made.catch(() => null);
      return made;
    },
    enabled: chunks.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return data ?? null;
}

/** The frames and shapes of a take that is compared; those that are there so far. */
export function useTaken(take: number | null): { lanes: Lane[]; shapes: Record<string, Shape> } | null {
  const id = useOpen();
  const { data: lanes } = useQuery({ ...lanesOf(id, take), placeholderData: keepPreviousData });
  const bodies = take === null ? [] : framed(lanes ?? []).map((l) => l.body);
  const all = useQueries({
    queries: bodies.map((body) => shapeOf(id, take ?? 0, body)),
    combine: (found) => found.map((f) => f.data),
  });
  if (take === null || !lanes) return null;
  return { lanes, shapes: Object.fromEntries(bodies.flatMap((b, k) => (all[k] ? [[b, all[k]]] : []))) };
}

/** Keeps the scene as it is, with the frames that it has. */
export async function keepTake() {
  try {
    const made = await told(http.POST('/api/projects/{id}/takes', { params: { path: { id: openId() } }, body: { name: null, note: '' } }));
    const lacking = now.lanes().reduce((n, l) => n + l.counts.stale + l.counts.missing, 0);
    const detail = lacking > 0 ? `${lacking} of its frames are not computed: run the scene, and they are there.` : 'With all its frames.';
    say({ title: `${made.name} is kept`, detail, tone: 'note' });
  } catch (e) {
    tell(e);
  }
  refreshTakes();
}

export async function changeTake(take: number, body: { name?: string; starred?: boolean; note?: string }) {
  try {
    const all = { name: null, starred: null, note: null, ...body };
    await told(http.PATCH('/api/projects/{id}/takes/{take}', { ...path(openId(), take), body: all }));
  } catch (e) {
    tell(e);
  }
  refreshTakes();
}

/** Says something of a frame of a take; of a body there and a point of it, if they are given. */
export async function noteTake(take: number, at: { frame: number; body: string | null; point: number | null }, words: string) {
  try {
    await told(http.POST('/api/projects/{id}/takes/{take}/notes', { ...path(openId(), take), body: { ...at, words } }));
  } catch (e) {
    tell(e);
  }
  refreshTakes();
}

const notePath = (take: number, note: number) => ({ params: { path: { id: openId(), take, note } } });

/** Says a note in other words; with none, no more. */
export async function changeNote(take: number, note: number, words: string) {
  try {
    if (words) await told(http.PATCH('/api/projects/{id}/takes/{take}/notes/{note}', { ...notePath(take, note), body: { words } }));
    else await told(http.DELETE('/api/projects/{id}/takes/{take}/notes/{note}', notePath(take, note)));
  } catch (e) {
    tell(e);
  }
  refreshTakes();
}

/** Computes what there is none of a take's frames. */
export async function runTake(take: Take) {
  try {
    await told(http.POST('/api/projects/{id}/takes/{take}/run', path(openId(), take.id)));
  } catch (e) {
    tell(e);
  }
}

export async function removeTake(take: Take) {
  if (useBeside.getState().on?.take === take.id) compare(null);
  try {
    await told(http.DELETE('/api/projects/{id}/takes/{take}', path(openId(), take.id)));
    say({ title: `${take.name} is removed`, detail: 'Its frames go when room is needed.', tone: 'note' });
  } catch (e) {
    tell(e);
  }
  refreshTakes();
}

export type Part = 'whole' | 'material' | 'air' | 'contact' | 'hold';
/** Brings a part of a take's scene back, as one edit. */
export const bringBack = (take: Take, part: Part) =>
  changeBy((project: Project) =>
    told(
      http.POST('/api/projects/{id}/takes/{take}/restore', {
        ...path(project.id, take.id),
        body: { revision: project.revision, part },
      }) as Promise<{ data?: Project }>,
    ),
  );
