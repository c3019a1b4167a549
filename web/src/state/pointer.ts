/** JSON Pointers (RFC 6901) into the scene and into its schema. */

const parts = (path: string) =>
  path
    .split('/')
    .slice(1)
    .map((p) => p.replaceAll('~1', '/').replaceAll('~0', '~'));

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
export type Facts = { title: string; unit: string; min: number; max: number; initial: number | undefined; note: string; moves: boolean };

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
    // Of a coordinate the list says it, of a number itself.
    moves: (inner?.['animatable'] ?? up?.['animatable']) === true,
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

/** What the schema says of the values of an object, in its order: numbers, three of them, or one of a few words. */
export type Entry = {
  key: string;
  title: string;
  whole: boolean;
  three: boolean;
  seldom: boolean;
  /** The words that it may be, with what each means. */
  words: { value: string; label: string }[] | undefined;
  /** The row that it shares with those of the same name, and its name there. */
  row: string | undefined;
  part: string | undefined;
};
export function entries(schema: Schema | null, path: string): Entry[] {
  const found = schema ? walk(schema, path) : undefined;
  const properties = (found?.at['properties'] ?? {}) as Record<string, Schema>;
  return Object.entries(properties).flatMap(([key, s]): Entry[] => {
    const own = schema ? (walk(schema, `${path}/${key}`)?.at ?? s) : s;
    const options = (own['oneOf'] ?? []) as Schema[];
    // What may be more than a word has rows of its own.
    const words = options.every((o) => typeof o['const'] === 'string') ? options : [];
    const three = s['type'] === 'array';
    const inner = (s['items'] ?? {}) as Schema;
    // What is no number and no word has rows of its own, where it has any.
    const number = ['number', 'integer'].some((t) => [s['type']].flat().includes(t));
    if (!number && words.length === 0 && !(three && s['maxItems'] === 3)) return [];
    const text = (of: string) => s[of] as string | undefined;
    return [
      {
        key,
        title: text('title') ?? key,
        whole: s['type'] === 'integer' || inner['type'] === 'integer',
        three,
        seldom: s['seldom'] === true,
        words: words.length > 0 ? words.map((w) => ({ value: w['const'] as string, label: plainly(w) })) : undefined,
        row: text('row'),
        part: text('part'),
      },
    ];
  });
}

/** What a word means, as it stands in a list. */
const plainly = (word: Schema) => {
  const told = (word['description'] as string | undefined)?.replace(/\.$/, '');
  return told ? told.charAt(0).toLowerCase() + told.slice(1) : (word['const'] as string);
};

/** The kinds of an enum of the schema that can be added, as each begins. */
export function kinds(schema: Schema | null, of: 'Act' | 'Form' | 'Kind' | 'Shape' | 'Weights'): { kind: string; begins: unknown }[] {
  const found = (schema?.['$defs'] as Record<string, Schema> | undefined)?.[of];
  return ((found?.['examples'] ?? []) as Record<string, unknown>[]).map((e) => {
    const kind = Object.keys(e)[0]!;
    return { kind, begins: e[kind] };
  });
}

/** Whether a kind of field stands somewhere. */
export const isPlaced = (schema: Schema | null, kind: string) =>
  (schema ? walk(schema, `/fields/-/act/${kind}`) : undefined)?.at['placed'] === true;

/** Whether a kind of field pushes unless it is told otherwise, and whether the scene says where it is. */
const told = (schema: Schema | null, kind: string, what: string) =>
  (schema ? walk(schema, `/fields/-/act/${kind}`) : undefined)?.at[what] === true;
export const pushes = (schema: Schema | null, kind: string) => told(schema, kind, 'pushes');
export const isFixed = (schema: Schema | null, kind: string) => told(schema, kind, 'fixed');

/** In what a field is told by what it does; of its kind where nothing is said. */
export const unitBy = (schema: Schema | null, kind: string, by: string | null | undefined) =>
  UNITS[by ?? (pushes(schema, kind) ? 'push' : 'air')] ?? 'm/s';
const UNITS: Record<string, string> = { air: 'm/s', push: 'm/s²', force: 'Pa' };

/** The unit of a number where it stands: what a field that pushes has in m/s is in m/s², or in Pa where it does by force. */
export function unitAt(scene: unknown, schema: Schema | null, path: string): string {
  const { unit } = facts(schema, path);
  const [, fields, id, act, kind] = path.split('/');
  if (unit !== 'm/s' || fields !== 'fields' || act !== 'act' || !kind) return unit;
  const by = at(scene, `/fields/${id}/by`) as string | undefined;
  return unitBy(schema, kind, by);
}

/** Whether a form of a collider can keep bodies inside. */
export const canBeHollow = (schema: Schema | null, form: string) => {
  const found = (schema?.['$defs'] as Record<string, Schema> | undefined)?.['Form'];
  return ((found?.['hollow'] ?? []) as string[]).includes(form);
};
