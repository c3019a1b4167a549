/** All numbers of a scene that move, and what can be done with many of their keys at once. Values between keys are the core's. */
import type { Op, Scene } from '../api/http';
import { edit } from './project';
import { at, facts } from './pointer';
import { now } from './queries';
import { isMotion, type Key, type Motion } from './value';

export type Mover = {
  path: string;
  motion: Motion;
  /** The thing's key with its kind, and its name. */
  thing: string;
  of: string;
  /** The number's own name. */
  named: string;
  unit: string;
};

const AXES = ['x', 'y', 'z'];

/** Every number that moves, in the order of the scene. */
export function movers(scene: Scene, schema: Record<string, unknown> | null): Mover[] {
  const out: Mover[] = [];
  const walk = (v: unknown, path: string) => {
    if (isMotion(v)) {
      const [, kind, id] = path.split('/');
      const thing = `/${kind}/${id}`;
      const last = path.split('/').at(-1)!;
      const axis = /^\d$/.test(last) ? ` ${AXES[Number(last)]}` : '';
      const { unit } = facts(schema, path);
      // Of a coordinate the list has the name.
      const { title } = facts(schema, axis ? path.slice(0, path.lastIndexOf('/')) : path);
      out.push({
        path,
        motion: v,
        thing,
        of: (at(scene, thing) as { name?: string } | undefined)?.name ?? kind!,
        named: `${title}${axis}`,
        unit,
      });
    } else if (Array.isArray(v)) {
      // Long lists hold plain numbers and points.
      if (v.length <= 3) v.forEach((w, k) => walk(w, `${path}/${k}`));
    } else if (typeof v === 'object' && v !== null) {
      for (const [k, w] of Object.entries(v)) walk(w, `${path}/${k.replaceAll('~', '~0').replaceAll('/', '~1')}`);
    }
  };
  for (const of of ['handles', 'colliders', 'figures', 'cameras', 'fields', 'bodies'] as const) walk(scene[of] ?? {}, `/${of}`);
  return out;
}

/** Chosen keys: of each path the frames. */
export type Chosen = Record<string, number[]>;

export const isChosen = (c: Chosen, path: string, frame: number) => c[path]?.includes(frame) ?? false;
export const countChosen = (c: Chosen) => Object.values(c).reduce((n, f) => n + f.length, 0);

const keysAt = (path: string): Key[] => {
  const m = at(now.scene(), path);
  return (isMotion(m) ? m.keys : undefined) ?? [];
};

/** Keys after a change to the chosen ones; where two come to one frame the changed one stays. */
export function changed(keys: Key[], frames: number[], how: (k: Key) => Key, copy: boolean): Key[] {
  const mine = keys.filter((k) => frames.includes(k.frame)).map(how);
  const taken = new Set(mine.map((k) => k.frame));
  const rest = keys.filter((k) => (copy || !frames.includes(k.frame)) && !taken.has(k.frame));
  // Of the changed ones that come to one frame the last stays.
  const own = [...new Map(mine.map((k) => [k.frame, k])).values()];
  return [...rest, ...own].sort((a, b) => a.frame - b.frame);
}

/** Changes the chosen keys of all paths in one edit. */
export function changeKeys(label: string, chosen: Chosen, how: (k: Key, path: string) => Key, copy = false): Promise<boolean> {
  const patch: Op[] = Object.entries(chosen).flatMap(([path, frames]) =>
    frames.length === 0
      ? []
      : [{ op: 'replace' as const, path: `${path}/keys`, value: changed(keysAt(path), frames, (k) => how(k, path), copy) }],
  );
  return patch.length > 0 ? edit(label, patch) : Promise.resolve(false);
}

/** Removes the chosen keys; a number that has none left, and no formula, stays as it was at the first of them. */
export function takeOut(chosen: Chosen): Promise<boolean> {
  const patch: Op[] = Object.entries(chosen).flatMap(([path, frames]): Op[] => {
    const m = at(now.scene(), path);
    if (!isMotion(m) || frames.length === 0) return [];
    const left = keysAt(path).filter((k) => !frames.includes(k.frame));
    if (left.length > 0) return [{ op: 'replace', path: `${path}/keys`, value: left }];
    if (m.formula) return [{ op: 'remove', path: `${path}/keys` }];
    return [{ op: 'replace', path, value: keysAt(path)[0]?.value ?? 0 }];
  });
  const n = countChosen(chosen);
  return edit(n === 1 ? 'A key taken out' : `${n} keys taken out`, patch);
}
