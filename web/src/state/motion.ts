/** Numbers that move: what they are at the frames of the scene, as the server has them, and every way to change how they move. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useSyncExternalStore } from 'react';
import { http, told } from '../api/http';
import { clock } from '../stream/clock';
import type { Node, Parent } from '../api/http';
import { edit, setValue, tell } from './project';
import { say } from './here';
import { useTriedAt } from './tried';
import { setView, useView } from './view';
import { at, facts } from './pointer';
import { now, openId, useOpen, useScene } from './queries';
import { isMotion, plain, type Key, type Motion, type Value } from './value';

/** A key's way on. Not written as a property, for whatever has one of that name may be taken for a promise. */
export const way = (on: string | undefined) => Object.fromEntries(on ? [['then', on]] : []) as { then?: string };

/** How a number goes on from a key, in words. */
export const WAYS = [
  { value: 'straight', label: 'straight on' },
  { value: 'step', label: 'stays, then steps' },
  { value: 'smooth', label: 'eases out and in' },
  { value: 'curve', label: 'as a curve' },
];
/** What undo calls it. */
export const wayOn = (on: string) => WAYS.find((w) => w.value === on)?.label ?? on;

let halted = 0;
/** The frame on screen, for who `asks`; while things play the one at which they began, for a field is no place to watch that. */
export const useFrame = (asks = true) =>
  useSyncExternalStore(clock.subscribe, () => (!asks ? 0 : clock.playing ? halted : (halted = clock.frame)));

/** What a number that moves is at all frames of the scene, and the first of them; `typed` is a formula in its place. */
export function useNumbers(path: string, said: Value | undefined, typed?: string) {
  const id = useOpen();
  const span = useScene((s) => [s.frames.first, s.frames.last, s.frames.rate ?? 24] as const);
  const motion = isMotion(said) ? said : undefined;
  const asked = typed === undefined ? undefined : { ...motion, formula: typed };
  return useQuery({
    queryKey: ['values', id, path, JSON.stringify([said, typed, span])],
    queryFn: ({ signal }) =>
      told(
        http.POST('/api/projects/{id}/values', {
          signal,
          params: { path: { id } },
          body: { paths: [path], ...(asked ? { motion: asked as never } : {}) },
        }),
      ),
    enabled: Boolean(motion) || typed !== undefined,
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    retry: 0,
  }).data;
}

/** The value at a frame of a row that begins at `first`; the last where it is shorter. */
export const valueAt = (row: number[] | undefined, first: number, frame: number) =>
  row?.[Math.min(row.length - 1, Math.max(0, frame - first))];

/** What a number is at the frame on screen, also where it moves or is dragged. */
export function useNow(path: string, said: Value | undefined): number {
  const numbers = useNumbers(path, said);
  const frame = useFrame(isMotion(said));
  const tried = useTriedAt(path);
  if (tried !== undefined) return tried;
  return isMotion(said) ? (valueAt(numbers?.numbers[0], numbers?.first ?? 0, frame) ?? plain(said)) : plain(said);
}

/** What a number is at a frame, asked for once. */
export async function numberAt(path: string, frame: number): Promise<number> {
  const body = { paths: [path], first: frame, last: frame };
  const { numbers } = await told(http.POST('/api/projects/{id}/values', { params: { path: { id: openId() } }, body }));
  return numbers[0]?.[0] ?? 0;
}

const motionOf = (path: string): Motion => {
  const said = at(now.scene(), path) as Value | undefined;
  return isMotion(said) ? said : {};
};
const keysOf = (m: Motion): Key[] => m.keys ?? [];

/** What is left when nothing moves it any more: a plain number. */
const plainly = (m: Motion, otherwise: number): Value => (keysOf(m).length === 0 && !m.formula ? otherwise : m);

/** What its formula adds to the keys at a frame. */
async function added({ formula, seed }: Motion, frame: number): Promise<number> {
  if (!formula) return 0;
  const body = { paths: [], motion: { formula, seed: seed ?? 0 }, first: frame, last: frame };
  return (await told(http.POST('/api/projects/{id}/values', { params: { path: { id: openId() } }, body }))).motion[0] ?? 0;
}

/** Puts a key at a frame, or changes the one there, so that with its formula the number is `wanted` there. */
export async function setKey(of: string, path: string, frame: number, wanted: number) {
  return setValue(`${of} key at ${frame}`, path, await keyed(path, frame, wanted));
}

export function removeKey(of: string, path: string, frame: number) {
  const m = motionOf(path);
  const gone = keysOf(m).find((k) => k.frame === frame);
  if (!gone) return;
  const { keys: _, ...rest } = m;
  const keys = keysOf(m).filter((k) => k.frame !== frame);
  return setValue(`${of} key at ${frame} taken out`, path, plainly(keys.length > 0 ? { ...m, keys } : rest, gone.value));
}

/** How it goes on from the key at or before a frame. */
export function setWay(of: string, path: string, frame: number, on: string) {
  const m = motionOf(path);
  const from =
    keysOf(m)
      .filter((k) => k.frame <= frame)
      .at(-1) ?? keysOf(m)[0];
  const keys = keysOf(m).map((k) => (k === from ? { ...k, ...way(on) } : k));
  return setValue(`${of} from ${from?.frame ?? frame}: ${wayOn(on)}`, path, { ...m, keys });
}

export const setBeyond = (of: string, path: string, side: 'before' | 'after', how: string) =>
  setValue(`${of} ${side} its keys`, path, { ...motionOf(path), [side]: how });

/** Takes a formula as it was typed; none where nothing was. */
export function setFormula(of: string, path: string, text: string, otherwise: number) {
  const { formula: _, ...rest } = motionOf(path);
  if (!text.trim()) return setValue(`${of} without a formula`, path, plainly(rest, otherwise));
  const seed = /\bseed\b/.test(text) && !rest.seed ? { seed: 1 } : {};
  return setValue(`${of} by a formula`, path, { ...rest, ...seed, formula: text.trim() });
}

/** Makes it a plain number again. */
export const stay = (of: string, path: string, value: number) => edit(`${of} stays`, [{ op: 'replace', path, value }]);

/** What a number is with a key at a frame, so that with its formula it is `wanted` there. Its first key, made away from
 * the first frame, keeps what it was until then by another there: at the first frame, for it is to go to the new value and
 * not to jump. */
export async function keyed(path: string, frame: number, wanted: number): Promise<Motion> {
  const [said, m] = [at(now.scene(), path), motionOf(path)];
  const value = Number((wanted - (await added(m, frame))).toPrecision(12));
  if (keysOf(m).length === 0 && frame > clock.first) {
    const was = typeof said === 'number' ? said : isMotion(said) ? 0 : (facts(now.schema(), path).initial ?? value);
    return {
      ...m,
      keys: [
        { frame: clock.first, value: was },
        { frame, value },
      ],
    };
  }
  const was = keysOf(m).find((k) => k.frame === frame);
  const before = keysOf(m)
    .filter((k) => k.frame < frame)
    .at(-1);
  const key: Key = { ...(was ?? way(before?.then)), frame, value };
  return { ...m, keys: [...keysOf(m).filter((k) => k.frame !== frame), key].sort((a, b) => a.frame - b.frame) };
}

/** Puts a handle where its arms left it in the world: by keys at the frame where they are wanted or it has some, by plain
 * numbers where it stands still. */
export const placeHandle = (id: string, name: string, world: number[], turned: boolean) =>
  placeAt(`/handles/${id}/place`, name, world, turned);

/** The same of any place. */
export async function placeAt(path: string, name: string, world: number[], turned: boolean) {
  const frame = clock.frame;
  const body = { path, frame, stays_on: true, world } as never;
  try {
    const placed = await told(http.POST('/api/projects/{id}/place', { params: { path: { id: openId() } }, body }));
    const of = turned ? 'turn' : 'position';
    const was = (at(now.scene(), `${path}/${of}`) ?? [0, 0, 0]) as Value[];
    const keys = useView.getState().keyAsDragged || was.some(isMotion);
    const next = await Promise.all(placed[of].map((v: number, k: number) => (keys ? keyed(`${path}/${of}/${k}`, frame, v) : v)));
    const label = `${name} ${keys ? `key at ${frame}` : 'placed'}`;
    // What stood nowhere yet gets a place.
    if (at(now.scene(), path) === undefined)
      return await edit(label, [{ op: 'add', path, value: { position: [0, 0, 0], turn: [0, 0, 0], [of]: next } }]);
    return await edit(label, [{ op: 'add', path: `${path}/${of}`, value: next }]);
  } catch (e) {
    tell(e);
    return false;
  }
}

/** Lets a thing stand on another, or on nothing, and leaves it where it is. */
export async function standOn(path: string, name: string, on: Parent | null) {
  try {
    const node = at(now.scene(), path) as Node | undefined;
    const still = ![...(node?.position ?? []), ...(node?.turn ?? [])].some(isMotion);
    const body = { path, frame: clock.frame, on } as never;
    const placed = still
      ? await told(http.POST('/api/projects/{id}/place', { params: { path: { id: openId() } }, body }))
      : { position: node?.position, turn: node?.turn };
    return await edit(`${name} stands ${on ? 'on another' : 'in the world'}`, [
      { op: 'add', path, value: { ...placed, ...(on ? { on } : {}) } },
    ]);
  } catch (e) {
    tell(e);
    return false;
  }
}

/** Lets what waits for it stand on a spot of a figure's surface. */
export async function standOnSpot(
  { base, of }: { base: string; of: string },
  spot: { figure: string; triangle: number; second: number; third: number } | null,
) {
  if (!spot) return say({ title: 'No surface there', detail: 'Press where a figure is.', tone: 'note' });
  if (base === `/figures/${spot.figure}`)
    return say({ title: 'A figure can’t stand on itself', detail: 'Press another, or leave it where it is.', tone: 'note' });
  const { figure, ...query } = spot;
  try {
    const found = await told(http.GET('/api/projects/{id}/figures/{figure}/spot', { params: { path: { id: openId(), figure }, query } }));
    if (await standOn(`${base}/place`, of, { spot: found })) setView({ spotFor: null });
  } catch (e) {
    tell(e);
  }
}
