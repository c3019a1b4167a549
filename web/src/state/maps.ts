/** Maps: what they come to as the server has it, and every way to change them. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { bytes, http, told, type Body, type Choice, type Dye, type Layer, type Map as Weights, type Op } from '../api/http';
import { readMap, type MapNow } from '../api/maps';
import { freeKey, freeName } from '../bench/things';
import { useFrame } from './motion';
import { edit, editBy, tell } from './project';
import { at as valueAt } from './pointer';
import { now, openId, useOpen, useScene } from './queries';
import { placeOf } from './value';
import { setView, useView } from './view';

/** What a map comes to at the frame on screen; the one before while it is asked for. */
export function useMap(body: string, map: string | null): { now: MapNow | undefined; fault: string | undefined } {
  const id = useOpen();
  const of = useScene((s) => {
    const b = s.bodies[body];
    const own = map ? b?.maps?.[map] : undefined;
    if (!b || !own) return '';
    // What a zone stands on moves it.
    const zones = own.layers.some((l) => 'zone' in l.weights) ? [s.handles, s.figures, s.colliders, s.frames] : [];
    return JSON.stringify([own.layers, own.invert, own.remap, own.smooth, b.kind, b.place, ...zones]);
  });
  const moves = useMoves(id, body, map, of ?? '');
  const frame = useFrame(moves);
  const q = useQuery({
    queryKey: ['map', id, body, map, of, moves ? frame : 'still'],
    queryFn: () => readMap(id, body, map!, moves ? frame : (now.scene()?.frames.first ?? 0)),
    enabled: Boolean(of),
    placeholderData: keepPreviousData,
    structuralSharing: false,
    gcTime: 20_000,
    retry: 0,
  });
  return { now: q.isError || !of ? undefined : q.data, fault: q.error?.message };
}

/** Whether a map is another at other frames: the server's word, once for what it follows from. */
const useMoves = (id: number, body: string, map: string | null, of: string) =>
  useQuery({
    queryKey: ['map moves', id, body, map, of],
    queryFn: async () => (await readMap(id, body, map!, now.scene()?.frames.first ?? 0)).head.moves,
    enabled: of !== '',
    gcTime: 60_000,
    retry: 0,
  }).data ?? false;

/** The map that is shown: the chosen one of a body, while it has one of that key. */
export function useShownMap(body: string | null): string | null {
  const chosen = useView((v) => v.map);
  return useScene((s) => (body && chosen && s.bodies[body]?.maps?.[chosen] ? chosen : null)) ?? null;
}

/** A zone about where a body begins, on what it begins on. */
export function zoneOn(body: string): Layer['weights'] {
  const b = now.scene()?.bodies[body];
  const cut = b && 'cloth' in b.kind && 'figure' in b.kind.cloth.shape ? b.kind.cloth.shape.figure.figure : null;
  const on = cut ? { figure: cut } : b?.place?.on;
  const place = { position: cut ? [0, 0, 0] : placeOf(b?.place).position, turn: [0, 0, 0], ...(on ? { on } : {}) };
  return { zone: { place, form: { ball: { radius: 0.3 } }, edge: 0.3 } } as Layer['weights'];
}

export const pathOf = (body: string, map: string) => `/bodies/${body}/maps/${map}`;

/** Adds a map with one layer, and shows it. */
export async function addMap(body: string, wanted: string, weights: Layer['weights']) {
  let id = '';
  const done = await editBy((scene) => {
    const all = scene.bodies[body]?.maps ?? {};
    const name = freeName(wanted, all);
    id = freeKey(name, all);
    const used = new Set(Object.values(all).map((m) => m.dye ?? 'woad'));
    const dye = (['woad', 'plum', 'moss', 'madder', 'weld', 'rust'] as Dye[]).find((d) => !used.has(d)) ?? 'woad';
    const value = { name, dye, layers: [{ weights }] };
    return {
      label: `${name} added`,
      patch: [
        Object.keys(all).length > 0
          ? { op: 'add', path: pathOf(body, id), value }
          : { op: 'add', path: `/bodies/${body}/maps`, value: { [id]: value } },
      ],
    };
  });
  if (done) setView({ map: id, layer: 0 });
  return done ? id : null;
}

/** Takes a map away, and what it scaled with it. */
export async function removeMap(body: string, map: string) {
  await editBy((scene) => {
    const b = scene.bodies[body];
    if (!b?.maps?.[map]) return null;
    const patch: Op[] = [];
    for (const [what, by] of Object.entries(b.scaled ?? {}))
      if (by.map === map) patch.push({ op: 'remove', path: `/bodies/${body}/scaled/${what}` });
    for (const key of ['by', 'hides'] as const)
      if (b.finish?.[key] === map) patch.push({ op: 'remove', path: `/bodies/${body}/finish/${key}` });
    for (const [g, grip] of Object.entries(b.grips ?? {})) {
      if (grip.map !== map) continue;
      // One that holds by the map alone holds nothing without it.
      patch.push({ op: 'remove', path: grip.points.length > 0 ? `/bodies/${body}/grips/${g}/map` : `/bodies/${body}/grips/${g}` });
    }
    patch.push({ op: 'remove', path: pathOf(body, map) });
    return { label: `${b.maps[map].name} removed`, patch };
  });
}

const mapOf = (b: Body | undefined, map: string): Weights | undefined => b?.maps?.[map];

/** Lays another layer over those of the map at a path. */
export async function addLayer(map: string, weights: Layer['weights'], name: string) {
  let at = 0;
  const done = await editBy((scene) => {
    const own = valueAt(scene, map) as Weights | undefined;
    if (!own) return null;
    at = own.layers.length;
    // What is laid over others adds to them: laid in their place, a layer that is still dry would hide them.
    const value = at > 0 ? { weights, blend: 'painted' in weights ? 'add' : 'most' } : { weights };
    return { label: `${own.name}: ${name} laid on`, patch: [{ op: 'add', path: `${map}/layers/-`, value }] };
  });
  if (done) setView({ layer: at });
  return done ? at : null;
}

export const removeLayer = (map: string, k: number) =>
  editBy((scene) => {
    const own = valueAt(scene, map) as Weights | undefined;
    return own?.layers[k] ? { label: `${own.name}: a layer taken off`, patch: [{ op: 'remove', path: `${map}/layers/${k}` }] } : null;
  });

/** Changes a layer with the one above (1) or below (-1) it. */
export const moveLayer = (map: string, k: number, by: 1 | -1) =>
  editBy((scene) => {
    const layers = (valueAt(scene, map) as Weights | undefined)?.layers ?? [];
    const [a, b] = [layers[k], layers[k + by]];
    if (!a || !b) return null;
    setView({ layer: k + by });
    const path = `${map}/layers`;
    return {
      label: 'Layers changed places',
      patch: [
        { op: 'replace', path: `${path}/${k}`, value: b },
        { op: 'replace', path: `${path}/${k + by}`, value: a },
      ],
    };
  });

/** The layer of a map that is painted on: the open one where it is painted, else the topmost that is; adds one where there is none. */
export async function toPaint(body: string, map: string): Promise<number | null> {
  const layers = mapOf(now.scene()?.bodies[body], map)?.layers ?? [];
  const open = useView.getState().layer;
  const found =
    open !== null && layers[open] && 'painted' in layers[open].weights ? open : layers.findLastIndex((l) => 'painted' in l.weights);
  const at = found >= 0 ? found : await addLayer(pathOf(body, map), { painted: {} }, 'painted');
  if (at !== null) setView({ layer: at });
  return at;
}

/** Begins to paint a map: on a painted layer, with the brush. */
export async function beginPainting(body: string, map: string) {
  if ((await toPaint(body, map)) !== null) setView({ tool: 'paint', map, points: [], handle: null });
}

/** Does something with all of a painted layer. */
export async function doWhole(body: string, map: string, layer: number, what: unknown, label: string) {
  try {
    const params = { path: { id: openId(), body, map, layer } };
    const painted = await told(
      http.POST('/api/projects/{id}/bodies/{body}/maps/{map}/layers/{layer}/whole', { params, body: what as never }),
    );
    await edit(label, [{ op: 'add', path: `${pathOf(body, map)}/layers/${layer}/weights/painted`, value: painted }]);
  } catch (e) {
    tell(e);
  }
}

/** The chosen points as an area of the material, which outlives a change of density. */
export async function chosenArea(body: string): Promise<Choice | null> {
  const { points } = useView.getState();
  if (points.length === 0) return null;
  try {
    return await told(http.POST('/api/projects/{id}/bodies/{body}/area', { params: { path: { id: openId(), body } }, body: { points } }));
  } catch (e) {
    tell(e);
    return null;
  }
}

/** Keeps a file of curves that strands are; none where it can't be read, which is said. */
export async function bringInGuides(file: File): Promise<{ blob: string; curves: number } | null> {
  try {
    return await told(http.POST('/api/guides', { params: { query: { name: file.name } }, ...bytes(file) }));
  } catch (e) {
    tell(e);
    return null;
  }
}

/** Brings in a picture, and gives what it is kept under. */
export async function bringInPicture(file: File): Promise<string | null> {
  try {
    return (await told(http.POST('/api/pictures', { params: { query: { name: file.name } }, ...bytes(file) }))).blob;
  } catch (e) {
    tell(e);
    return null;
  }
}
