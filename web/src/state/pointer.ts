/** JSON Pointers (RFC 6901) into the scene and into its schema. */

const parts = (path: string) => path.split('/').slice(1).map((p) => p.replaceAll('~1', '/').replaceAll('~0', '~'));

/** The value at a pointer; `undefined` where there is none. */
export function at(root: unknown, path: string): unknown {
  let here: unknown = root;
  for (const p of parts(path)) {
    if (here === null || typeof here !== 'object') return undefined;
    here = (here as Record<string, unknown>)[p];
  }
  return here;
}

type Schema = Record<string, unknown>;

/** What the schema says of a number. */
export type Facts = { title: string; unit: string; min: number; max: number; initial: number | undefined; note: string };

/** The schema of the value at a pointer, with references followed. */
export function facts(schema: Schema | null, path: string): Facts {
  const found = schema ? walk(schema, path) : undefined;
  const inner = (found?.at['items'] ?? found?.at) as Schema | undefined;
  const up = found?.at;
  const number = (key: string) => (inner?.[key] ?? up?.[key]) as number | undefined;
  return {
    title: (up?.['title'] as string | undefined) ?? '',
    unit: ((up?.['unit'] ?? found?.above['unit']) as string | undefined) ?? '',
    min: number('minimum') ?? -Infinity,
    max: number('maximum') ?? Infinity,
    initial: found?.initial as number | undefined,
    note: (up?.['description'] as string | undefined) ?? '',
  };
}

function walk(root: Schema, path: string) {
  const follow = (s: Schema): Schema => {
    const ref = s['$ref'] as string | undefined;
    return ref ? { ...(at(root, ref.slice(1)) as Schema), ...s, $ref: undefined } : s;
  };
  let [here, above] = [follow(root), {} as Schema];
  let initial: unknown;
  for (const p of parts(path)) {
    let next = step(here, p, follow);
    if (!next) return undefined;
    initial = next['default'] ?? (initial as Schema | undefined)?.[p];
    next = follow(next);
    [above, here] = [here, next];
  }
  return { at: here, above, initial };
}

function step(s: Schema, key: string, follow: (s: Schema) => Schema): Schema | undefined {
  const properties = s['properties'] as Record<string, Schema> | undefined;
  if (properties?.[key]) return properties[key];
  for (const option of ((s['oneOf'] ?? s['anyOf']) as Schema[] | undefined) ?? []) {
    const found = step(follow(option), key, follow);
    if (found) return found;
  }
  if (/^\d+$/.test(key) && s['items']) return s['items'] as Schema;
  const patterned = s['patternProperties'] as Record<string, Schema> | undefined;
  const more = patterned ? Object.values(patterned)[0] : s['additionalProperties'];
  return typeof more === 'object' && more ? (more as Schema) : undefined;
}

/** What the schema says of the numbers of an object, in its order. */
export type Entry = { key: string; title: string; whole: boolean; three: boolean; seldom: boolean };
export function entries(schema: Schema | null, path: string): Entry[] {
  const found = schema ? walk(schema, path) : undefined;
  const properties = (found?.at['properties'] ?? {}) as Record<string, Schema>;
  return Object.entries(properties).map(([key, s]) => ({
    key,
    title: (s['title'] as string | undefined) ?? key,
    whole: s['type'] === 'integer',
    three: s['type'] === 'array',
    seldom: s['seldom'] === true,
  }));
}

/** The kinds of fields: how each begins, and whether it stands somewhere. */
export function fieldKinds(schema: Schema | null): { kind: string; begins: unknown; placed: boolean }[] {
  const act = (schema?.['$defs'] as Record<string, Schema> | undefined)?.['Act'];
  return ((act?.['examples'] ?? []) as Record<string, unknown>[]).map((e) => {
    const kind = Object.keys(e)[0]!;
    const of = schema ? walk(schema, `/fields/-/act/${kind}`) : undefined;
    return { kind, begins: e[kind], placed: of?.at['placed'] === true };
  });
}
