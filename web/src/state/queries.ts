/** What the server knows, as it was last told: kept once and shown everywhere. */
import { useCallback } from 'react';
import { keepPreviousData, QueryClient, queryOptions, useQueries, useQuery } from '@tanstack/react-query';
import {
  http,
  Problem,
  told,
  type Body,
  type Collider,
  type Figure,
  type FigureLook,
  type Lane,
  type Project,
  type Run,
  type Species,
} from '../api/http';
import { clothOf } from './value';
import { readHairs, type Hairs } from '../api/hairs';
import { readFinish, type Finished } from '../api/finish';
import { readLimbs, type Limbs } from '../api/limbs';
import { readShape, type Shape } from '../api/shape';
import { readTracks } from '../api/tracks';
import { decode } from '../stream/chunks';
import type { HairLook } from '../viewport/hair-layer';
import { useHere } from './here';

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      refetchOnWindowFocus: false,
      // Who is away may come back; what is refused stays refused.
      retry: (n, e) => e instanceof Problem && (e.status === 0 || e.status === 503) && n < 30,
      retryDelay: (n) => Math.min(4000, 400 * 1.5 ** n),
    },
  },
});

const project = (id: number) =>
  queryOptions({
    queryKey: ['project', id],
    queryFn: async () => (await told(http.GET('/api/projects/{id}', { params: { path: { id } } }))) as Project,
  });
const lanes = (id: number) =>
  queryOptions({
    queryKey: ['lanes', id],
    queryFn: async (): Promise<Lane[]> => (await told(http.GET('/api/projects/{id}/lanes', { params: { path: { id } } }))).lanes,
  });
const runs = (id: number) =>
  queryOptions({
    queryKey: ['runs', id],
    queryFn: (): Promise<Run[]> => told(http.GET('/api/projects/{id}/runs', { params: { path: { id } } })),
  });
const projects = (removed: boolean) =>
  queryOptions({
    queryKey: ['projects', removed],
    queryFn: () => told(http.GET('/api/projects', { params: { query: { removed } } })),
    staleTime: 0,
  });
const schema = queryOptions({
  queryKey: ['schema'],
  queryFn: async () => (await told(http.GET('/api/schema'))) as Record<string, unknown>,
});
const matters = queryOptions({ queryKey: ['matters'], queryFn: () => told(http.GET('/api/matters')) });
/** What bodies may stand on: where those that do start follows from it. */
const under = (s: Project['scene']) => [s.handles, s.figures, s.colliders, s.frames.first, s.frames.rate];
/** Whether where it starts follows from others. */
const rides = (b: Body) => Boolean(b.place?.on || 'figure' in (clothOf(b)?.shape ?? {}) || grows(b) || shedBy(b));
/** Whether it grows on something, and is of segments. */
export const grows = (b: Body) => 'strands' in b.kind || 'plants' in b.kind;
/** The plants that let it go, where it is pieces of some. */
const shedBy = (b: Body) => ('drift' in b.kind ? b.kind.drift.shed?.plants : undefined);
/** What a kind's shape follows from: of strands not from the hairs between, but from the cloth that they grow on. */
const grown = (b: Body) => {
  const { kind } = b;
  const from = shedBy(b);
  const plants = from === undefined ? undefined : now.scene()?.bodies[from];
  if (plants) return [kind, plants.kind, plants.place, plants.maps];
  if (!('strands' in kind)) return kind;
  const { hairs: _, ...own } = kind.strands;
  const on = typeof own.from === 'object' && 'body' in own.from ? now.scene()?.bodies[own.from.body] : undefined;
  return [own, on && [clothOf(on)?.shape, clothOf(on)?.layers, on.place]];
};
const shapeKey = (b: Body) => {
  const scene = rides(b) && now.scene();
  return JSON.stringify([
    clothOf(b)?.shape ?? grown(b),
    b.place,
    b.grips,
    b.choices,
    clothOf(b)?.layers,
    Object.values(b.grips ?? {}).some((g) => g.map) || Object.keys(b.scaled ?? {}).length > 0 || grows(b) ? [b.maps, b.scaled] : 0,
    ...(scene ? under(scene) : []),
  ]);
};
const shape = (id: number, key: string, body: Body) =>
  queryOptions({
    queryKey: ['shape', id, key, shapeKey(body)],
    queryFn: ({ signal }) => readShape(id, key, signal),
    placeholderData: keepPreviousData,
    structuralSharing: false,
    gcTime: 30_000,
    retry: 1,
  });

export const asks = { project, lanes, runs, projects, schema, matters, shape };

/** The open project's number; 0 while there is none. */
export const useOpen = () => useHere((h) => h.project);
export const openId = () => useHere.getState().project;

/** Of the open project what is picked; a change of anything else draws nothing. */
export function useProject<T>(pick: (p: Project) => T): T | undefined {
  const id = useOpen();
  return useQuery({ ...project(id), enabled: id > 0, select: pick }).data;
}
export const useScene = <T>(pick: (s: Project['scene']) => T) => useProject((p) => pick(p.scene));
export function useLanes<T>(pick: (l: Lane[]) => T): T | undefined {
  const id = useOpen();
  return useQuery({ ...lanes(id), enabled: id > 0, select: pick }).data;
}
export function useRuns<T>(pick: (r: Run[]) => T): T | undefined {
  const id = useOpen();
  return useQuery({ ...runs(id), enabled: id > 0, select: pick }).data;
}
export const useSchema = () => useQuery(schema).data ?? null;
const fibres = queryOptions({ queryKey: ['fibres'], queryFn: () => told(http.GET('/api/fibres')) });
const shelf = queryOptions({ queryKey: ['species'], queryFn: () => told(http.GET('/api/species')), staleTime: Infinity });
/** Species of plants to start from, each with one that grew. */
export const useShelf = () => useQuery(shelf).data ?? [];
/** A plant of a species, from the side. */
export const useSilhouette = (species: Species, seed: number) =>
  useQuery({
    queryKey: ['silhouette', JSON.stringify(species), seed],
    queryFn: ({ signal }) => told(http.POST('/api/silhouette', { body: { species, seed }, signal })),
    placeholderData: keepPreviousData,
    gcTime: 20_000,
  }).data;
export const useFibres = () => useQuery(fibres).data ?? [];
export const useMatters = () => useQuery(matters).data ?? [];
export const useProjects = (removed: boolean) => useQuery(projects(removed));

const NONE: Record<string, Body> = {};
/** The rest shapes of all bodies that have one, and why others have none. */
export function useShapes(): { shapes: Record<string, Shape>; faults: Record<string, string> } {
  const id = useOpen();
  const bodies = useScene((s) => s.bodies) ?? NONE;
  const keys = Object.keys(bodies);
  useScene((s) => (Object.values(s.bodies).some(rides) ? under(s) : null));
  return useQueries({
    queries: keys.map((k) => shape(id, k, bodies[k]!)),
    combine: (all) => {
      const shapes: Record<string, Shape> = {};
      const faults: Record<string, string> = {};
      all.forEach((q, k) => {
        if (q.data && !q.isError) shapes[keys[k]!] = q.data;
        if (q.error) faults[keys[k]!] = q.error.message;
      });
      return { shapes, faults };
    },
  });
}
/** The rest shape of one body. */
export function useShape(key: string): { shape: Shape | undefined; fault: string | undefined } {
  const id = useOpen();
  const body = useScene((s) => s.bodies[key]);
  useScene((s) => (s.bodies[key] && rides(s.bodies[key]) ? under(s) : null));
  const q = useQuery({ ...shape(id, key, body as Body), enabled: Boolean(body) });
  return { shape: q.isError ? undefined : q.data, fault: q.error?.message };
}
/** Of what a scene leaves out. */
const HAIR: HairLook = { clump: 0, shorter: 0, stray: 0, windings: 0, winding_radius: 0.002, diameter: 0.000_12, taper: 0.7 };
const NO_HAIRS: Record<string, { hairs: Hairs | null; look: HairLook | null }> = {};
/** The hairs between the strands of all bodies that have some, and what each body's have in common. */
export function useHairs() {
  const id = useOpen();
  const bodies = useScene((s) => s.bodies) ?? NONE;
  const own = Object.entries(bodies).flatMap(([key, b]) => {
    const hairs = 'strands' in b.kind ? b.kind.strands.hairs : null;
    return hairs ? [{ key, body: b, hairs }] : [];
  });
  const combine = useCallback(
    (all: { data?: Hairs | undefined; isError: boolean }[]) =>
      all.length === 0
        ? NO_HAIRS
        : Object.fromEntries(
            all.map((q, k) => {
              const { key, hairs: look } = own[k]!;
              return [key, { hairs: q.isError ? null : (q.data ?? null), look: { ...HAIR, ...look } as HairLook }];
            }),
          ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [JSON.stringify(own.map((o) => [o.key, o.hairs]))],
  );
  return useQueries({
    queries: own.map(({ key, body, hairs }) =>
      // What follows from numbers alone is the page's.
      queryOptions({
        queryKey: ['hairs', id, key, shapeKey(body), hairs.count, hairs.parting, hairs.seed],
        queryFn: ({ signal }) => readHairs(id, key, signal),
        placeholderData: keepPreviousData,
        structuralSharing: false,
        gcTime: 30_000,
        retry: 1,
      }),
    ),
    combine,
  });
}

const NO_LIMBS: Record<string, Limbs | null> = {};
const limbsOf = (id: number, key: string, body: Body) =>
  queryOptions({
    queryKey: ['limbs', id, key, shapeKey(body)],
    queryFn: ({ signal }) => readLimbs(id, key, signal),
    placeholderData: keepPreviousData,
    structuralSharing: false,
    gcTime: 30_000,
    retry: 1,
  });
const asMesh = (b: Body) => 'plants' in b.kind && b.kind.plants.mesh != null;
/** What all plants are as that are as a mesh. */
export function useLimbs() {
  const id = useOpen();
  const bodies = useScene((s) => s.bodies) ?? NONE;
  const own = Object.entries(bodies).filter(([, b]) => asMesh(b));
  const combine = useCallback(
    (all: { data?: Limbs | undefined; isError: boolean }[]) =>
      all.length === 0 ? NO_LIMBS : Object.fromEntries(all.map((q, k) => [own[k]![0], q.isError ? null : (q.data ?? null)])),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [JSON.stringify(own.map(([key]) => key))],
  );
  return useQueries({ queries: own.map(([key, body]) => limbsOf(id, key, body)), combine });
}
/** How cloth is finished, by body. */
export function useFinishes() {
  const id = useOpen();
  const bodies = useScene((s) => s.bodies) ?? NONE;
  const own = Object.entries(bodies).filter(
    ([, b]) =>
      b.finish &&
      b.finish.on !== false &&
      (b.finish.smooth !== 0 || b.finish.hides || [b.finish.thickness, b.finish.even, b.finish.steady].some((n) => (n ?? 0) > 0)),
  );
  const combine = useCallback(
    (all: { data?: Finished | undefined; isError: boolean }[]) =>
      all.length === 0 ? NO_FINISH : Object.fromEntries(all.map((q, k) => [own[k]![0], q.isError ? null : (q.data ?? null)])),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [JSON.stringify(own.map(([key]) => key))],
  );
  return useQueries({
    queries: own.map(([key, body]) => ({
      queryKey: [
        'finish',
        id,
        key,
        shapeKey(body),
        JSON.stringify([body.finish, body.finish?.by || body.finish?.hides ? body.maps : null]),
      ],
      queryFn: ({ signal }: { signal: AbortSignal }) => readFinish(id, key, signal),
      structuralSharing: false,
      gcTime: 60_000,
      retry: 1,
    })),
    combine,
  });
}
const NO_FINISH: Record<string, Finished | null> = {};

/** What one body of plants is as, where that is a mesh. */
export function useLimbsOf(key: string) {
  const id = useOpen();
  const body = useScene((s) => s.bodies[key]);
  const mesh = body !== undefined && asMesh(body);
  return useQuery({ ...limbsOf(id, key, body as Body), enabled: mesh }).data;
}

/** What one of a body's strands is like in the hand. */
export function useFibre(key: string) {
  const id = useOpen();
  const of = useScene((s) => {
    const b = s.bodies[key];
    return b && 'strands' in b.kind && JSON.stringify([b.kind, Object.values(s.fields ?? {}).filter((f) => 'gravity' in f.act)]);
  });
  return useQuery({
    queryKey: ['fibre', id, key, of],
    queryFn: ({ signal }) => told(http.GET('/api/projects/{id}/bodies/{body}/fibre', { params: { path: { id, body: key } }, signal })),
    enabled: Boolean(of),
    placeholderData: keepPreviousData,
    gcTime: 60_000,
  }).data;
}

/** How the scene's loop repeats, where all of its frames are up to date, and why that can't be told. */
export function useLoop() {
  const id = useOpen();
  const of = useScene((s) => s.frames.loop);
  const whole = useLanes((all) => JSON.stringify(all.map((l) => [l.body, l.stretches.map((s) => [s.state, s.first, s.last])])));
  const q = useQuery({
    queryKey: ['loop', id, JSON.stringify(of), whole],
    queryFn: ({ signal }) => told(http.GET('/api/projects/{id}/loop', { params: { path: { id } }, signal })),
    enabled: Boolean(of),
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    retry: 0,
  });
  return { told: q.isError ? undefined : q.data, fault: q.error?.message };
}

/** What a body's matter is like in the hand. */
export function useFeel(key: string) {
  const id = useOpen();
  const of = useScene((s) => {
    const b = s.bodies[key];
    return (
      b && clothOf(b) && JSON.stringify([shapeKey(b), clothOf(b)?.matter, Object.values(s.fields ?? {}).filter((f) => 'gravity' in f.act)])
    );
  });
  return useQuery({
    queryKey: ['feel', id, key, of],
    // What is asked for no more lets its connection go: there are six, and a run needs one.
    queryFn: ({ signal }) => told(http.GET('/api/projects/{id}/bodies/{body}/feel', { params: { path: { id, body: key } }, signal })),
    enabled: Boolean(of),
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    retry: 0,
  }).data;
}
/** How much is kept of all projects; asked again when `after` changes. */
export const useSpace = (after: unknown) =>
  useQuery({ queryKey: ['space', after], queryFn: () => told(http.GET('/api/space')), placeholderData: keepPreviousData, gcTime: 0 }).data;

/** The triangles of a collider that comes from a mesh. */
export const fetchSkin = (id: number, collider: string, c: Collider) =>
  client.fetchQuery({
    queryKey: ['skin', id, JSON.stringify(c.form)],
    queryFn: () => told(http.GET('/api/projects/{id}/colliders/{collider}/skin', { params: { path: { id, collider } } })),
    retry: 0,
  });

/** What a figure's file holds; `key` says what it follows from. */
const figure = (id: number, key: string, of: string) =>
  queryOptions({
    queryKey: ['figure', id, key, of],
    queryFn: () => told(http.GET('/api/projects/{id}/figures/{figure}', { params: { path: { id, figure: key } } })),
    structuralSharing: false,
    gcTime: 300_000,
    retry: 0,
  });
export const askFigure = (id: number, key: string, f: Figure) => figure(id, key, figureKey(f));
const figureKey = (f: Figure) => JSON.stringify([f.from, f.points, f.size, f.clip]);
export const fetchFigure = (id: number, key: string, f: Figure) => client.fetchQuery(figure(id, key, figureKey(f)));
/** Where its points are at some frames. */
export const fetchFigureFrames = async (id: number, key: string, first: number, last: number) =>
  decode(
    await told(
      http.GET('/api/projects/{id}/figures/{figure}/frames', {
        params: { path: { id, figure: key }, query: { first, last } },
        parseAs: 'arrayBuffer',
      }),
    ),
  );
/** What a figure's file holds, and why it can't be had. */
export function useFigure(key: string): { look: FigureLook | undefined; fault: string | undefined } {
  const id = useOpen();
  const f = useScene((s) => s.figures?.[key]);
  const q = useQuery({ ...figure(id, key, f ? figureKey(f) : ''), enabled: Boolean(f) });
  return { look: q.isError ? undefined : q.data, fault: q.error?.message };
}

/** Where colliders, handles and figures are at all frames of the scene. */
export const fetchTracks = (id: number, key: string) =>
  client.fetchQuery({ queryKey: ['tracks', id, key], queryFn: () => readTracks(id), structuralSharing: false, gcTime: 60_000, retry: 1 });

/** What is at hand of the open project, for what is no component. */
export const now = {
  project: () => client.getQueryData<Project>(['project', openId()]),
  scene: () => client.getQueryData<Project>(['project', openId()])?.scene,
  lanes: () => client.getQueryData<Lane[]>(['lanes', openId()]) ?? [],
  runs: () => client.getQueryData<Run[]>(['runs', openId()]) ?? [],
  schema: () => client.getQueryData<Record<string, unknown>>(['schema']) ?? null,
  matters: () => client.getQueryData<{ id: string; matter: Record<string, unknown> }[]>(['matters']) ?? [],
  shape: (key: string): Shape | undefined => {
    const body = now.scene()?.bodies[key];
    return body && client.getQueryData<Shape>(['shape', openId(), key, shapeKey(body)]);
  },
};

/** Whether a body of the open project is of segments: strands or plants. */
export const isStrands = (id: string) => {
  const body = now.scene()?.bodies[id];
  return body !== undefined && grows(body);
};

export const isGoing = (r: Run) => r.state === 'queued' || r.state === 'running';
