import type { Field, Layer, Op } from '../api/http';
import type { Shape } from '../api/shape';
import { actAlone, moveField } from '../state/air';
import { facts, isFixed, isPlaced, kinds, pushes, unitAt } from '../state/pointer';
import { edit, setValue } from '../state/project';
import { useScene, useSchema, useShapes } from '../state/queries';
import { useTriedAt } from '../state/tried';
import { useNow } from '../state/motion';
import { isMotion, plain, type Value } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Chip } from '../ui/chip';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Fold, Group, Line, Note, Row, Section, Seen } from '../ui/section';
import { showNumber, shownIn } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { Layers } from './map-layers';
import { PlaceRows } from './place';
import { SchemaRows } from './schema-rows';
import { ThingTools } from './thing-tools';
import { addField, capital, FIELD_NAMES, fieldOf } from './things';
import { Responses } from './response';
import { StreamRows } from './stream';
import { WeatherSection } from './weather';
import { WhyMoves } from './why';
import { WindPicture } from './wind';
import { Arms, ZoneRows } from './zone';

export function AirStep() {
  const fields = useScene((s) => s.fields) ?? {};
  const alone = useScene((s) => s.alone) ?? null;
  const open = useView((v) => v.field);
  const schema = useSchema();
  const keys = Object.keys(fields);
  return (
    <>
      <Section
        title="Fields"
        action={
          alone && (
            <Button look="quiet" onClick={() => void actAlone(null, '')}>
              All act again
            </Button>
          )
        }
      >
        {keys.length === 0 && (
          <p className="px-4 py-1.5">Nothing acts yet: no weight, no wind. Add gravity first, or begin with a weather.</p>
        )}
        {Object.entries(fields).map(([id, f], k) => {
          const silent = alone !== null && alone !== id && !('gravity' in f.act);
          return (
            <Seen key={id} when={id === open}>
              <Row
                name={f.name}
                note={alone === id ? 'alone' : silent ? 'waits' : <Words id={id} of={f} />}
                mark={<Sign kind={fieldOf(f)} on={f.on !== false && !silent} />}
                open={id === open}
                onOpen={() => setView({ field: id === open ? null : id, placing: null, drawing: null })}
                tools={
                  <>
                    <Small
                      label={`${f.name} ${f.on === false ? 'acts again' : 'off'}`}
                      on={f.on !== false}
                      d="M2 7c4-4.500 8-4.500 12 0M4 10c2.500-2.500 5.500-2.500 8 0"
                      off="M3 13L13 2"
                      onPress={() => void setValue(`${f.name} ${f.on === false ? 'on' : 'off'}`, `/fields/${id}/on`, f.on === false)}
                    />
                    <ThingTools
                      kind="fields"
                      id={id}
                      name={f.name}
                      more={[
                        alone === id
                          ? { name: 'All act again', act: () => void actAlone(null, f.name) }
                          : { name: 'Alone', act: () => void actAlone(id, f.name) },
                        ...(k > 0 ? [{ name: 'Up in the list', act: () => void moveField(id, -1) }] : []),
                        ...(k + 1 < keys.length ? [{ name: 'Down in the list', act: () => void moveField(id, 1) }] : []),
                      ]}
                    />
                  </>
                }
              >
                <FieldCard id={id} field={f} />
              </Row>
            </Seen>
          );
        })}
      </Section>
      <Section title="Add">
        <div className="flex flex-wrap gap-2 px-4">
          {kinds(schema, 'Act').map(({ kind }) => (
            <Chip
              key={kind}
              picture={<Sign kind={kind} on />}
              name={FIELD_NAMES[kind] ?? capital(kind)}
              onPress={() => void addField(kind)}
            />
          ))}
        </div>
      </Section>
      <WeatherSection />
      <WhyMoves />
      <Responses />
    </>
  );
}

/** A small sign at the end of a row that turns something on and off. */
function Small({ label, on, d, off, onPress }: { label: string; on: boolean; d: string; off: string; onPress: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      className="grid size-6 shrink-0 place-items-center rounded hover:bg-woad-wash"
      onClick={onPress}
    >
      <svg width="16" height="16" aria-hidden>
        <path
          d={on ? d : `${d}${off}`}
          fill="none"
          stroke={on ? 'var(--plum)' : 'var(--faded)'}
          strokeWidth="1.500"
          strokeLinecap="round"
        />
      </svg>
    </button>
  );
}

/** Its first number: as it is dragged, where it is. */
function Words({ id, of: f }: { id: string; of: Field }) {
  const schema = useSchema();
  const unitOf = useScene((s) => (path: string) => unitAt(s, schema, path));
  const kind = fieldOf(f);
  const first = Object.entries(f.act[kind as keyof Field['act']] as Record<string, unknown>).find(
    ([, v]) => typeof v === 'number' || isMotion(v),
  );
  const path = `/fields/${id}/act/${kind}/${first?.[0] ?? ''}`;
  const tried = useTriedAt(path);
  if (f.on === false) return 'off';
  const when = f.when ? `${f.when.from} to ${f.when.until}, ` : '';
  if (!first) return when;
  const [shown, factor] = shownIn(unitOf?.(path) ?? facts(schema, path).unit);
  return `${when}${tried === undefined && isMotion(first[1]) ? 'moves' : `${showNumber((tried ?? plain(first[1])) * factor)} ${shown}`}`;
}

/** Signs of the kinds; one that has none has that of moving air. */
const SIGNS: Record<string, string> = {
  gravity: 'M8 2v11M4.5 9.5L8 13l3.5-3.5',
  wind: 'M1 6c5-4 8 3 14-1M1 11c5-4 8 3 14-1',
  vortex: 'M3 3c4 3 7 3 10 0M4.500 7c3 2 4.500 2 7 0M6 10.500c1.500 1 2.500 1 4 0M7.500 13.500h1',
  pull: 'M8 8h.01M2 8h3M11 8h3M8 2v3M8 11v3M3.800 3.800l2 2M10.200 10.200l2 2',
  column: 'M4 14c-1-4-1-8 0-12M12 14c1-4 1-8 0-12M8 13V4M5.500 6.500L8 4l2.500 2.500',
  stream: 'M1 11c4 0 3-6 7-6s3 6 7 5',
  skin: 'M2 12c4-3 8-3 12 0M5 9V4M8 8V3M11 9V4',
  shelter: 'M4 2v12M7 5c3 0 4 1 8 1M7 8h4M7 11c3 0 4-1 8-1',
  turbulence: 'M13 9a5 5 0 1 1-2-5M8.5 8a1.6 1.6 0 1 1-.4-1.2',
};

function Sign({ kind, on }: { kind: string; on: boolean }) {
  return (
    <svg width="16" height="16" aria-hidden>
      <path
        d={SIGNS[kind] ?? SIGNS['wind']}
        fill="none"
        stroke={on ? 'var(--plum)' : 'var(--line-strong)'}
        strokeWidth="1.8"
        strokeLinecap="round"
      />
    </svg>
  );
}

function FieldCard({ id, field }: { id: string; field: Field }) {
  const [first, last, rate] = useScene((s) => [s.frames.first, s.frames.last, s.frames.rate ?? 24] as const) ?? [0, 0, 24];
  const names =
    useScene((s) =>
      Object.entries(s.fields ?? {})
        .filter(([k]) => k !== id)
        .map(([, f]) => f.name),
    ) ?? [];
  const kind = fieldOf(field);
  const base = `/fields/${id}`;
  const act = `${base}/act/${kind}`;
  const of = field.name;
  const turn = (on: boolean) =>
    on
      ? edit(`${of} limited in time`, [{ op: 'add', path: `${base}/when`, value: { from: first, until: last, ease: 12 } }])
      : edit(`${of} acts always`, [{ op: 'remove', path: `${base}/when` }]);
  const schema = useSchema();
  return (
    <>
      <Group name="What" />
      <Line label="On">
        <Toggle label={`${of} acts`} on={field.on !== false} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, `${base}/on`, v)} />
      </Line>
      {kind !== 'gravity' && kind !== 'shelter' && (
        <ChoiceField
          label="Acts as"
          of={of}
          value={field.by ?? (pushes(schema, kind) ? 'push' : 'air')}
          options={BY}
          onChoose={(v) => void setValue(`${of} ${BY.find((b) => b.value === v)?.label}`, `${base}/by`, v)}
        />
      )}
      {'skin' in field.act && <SkinOf base={act} of={of} is={field.act.skin.of} />}
      {'wind' in field.act && <WindPicture wind={field.act.wind} base={act} />}
      {'wind' in field.act && <Aslant of={of} base={act} wind={field.act.wind} />}
      <SchemaRows base={act} of={of} seldom={false} />
      {'skin' in field.act && <SkinMap id={id} of={of} field={field} />}
      {'stream' in field.act && <StreamRows base={act} of={of} stream={field.act.stream} />}
      <Group name="Where" />
      {!isFixed(schema, kind) && (
        <>
          {!isPlaced(schema, kind) && (
            <Line label="Placed">
              <Toggle
                label={`${of} has a place of its own`}
                on={Boolean(field.place)}
                onTurn={(v) =>
                  void edit(`${of} ${v ? 'stands somewhere' : 'is the same everywhere'}`, [
                    v
                      ? { op: 'add', path: `${base}/place`, value: { position: [0, 0, 0], turn: [0, 0, 0] } }
                      : { op: 'remove', path: `${base}/place` },
                  ])
                }
              />
            </Line>
          )}
          {field.place && (
            <>
              <Line label="By hand">
                <Arms path={base} of={of} />
              </Line>
              <PlaceRows base={base} of={of} />
            </>
          )}
        </>
      )}
      <ZoneRows base={base} of={of} zone={field.zone ?? undefined} more={field.zones ?? []} />
      <Group name="When" />
      <Line label="Frames">
        <Toggle label={`${of} only in a stretch of frames`} on={Boolean(field.when)} onTurn={(v) => void turn(v)} />
      </Line>
      {field.when && (
        <>
          <NumberRow
            label="Frames"
            of={of}
            whole
            frames={{ rate, zero: first }}
            parts={[
              { path: `${base}/when/from`, name: 'from' },
              { path: `${base}/when/until`, name: 'to' },
            ]}
          />
          <NumberField path={`${base}/when/ease`} of={of} frames={{ rate, zero: 0 }} />
        </>
      )}
      <On base={base} of={of} field={field} />
      <Fold name="Name and more" closed>
        <TextField label="Name" path={`${base}/name`} taken={names} />
        <SchemaRows base={act} of={of} seldom />
        <NumberField path={`${base}/share`} of={of} otherwise={1} />
      </Fold>
    </>
  );
}

/** Says where a wind can move nothing yet, for it goes along what is flat. */
function Aslant({ of, base, wind }: { of: string; base: string; wind: Extract<Field['act'], { wind: unknown }>['wind'] }) {
  const heading = useNow(`${base}/heading`, wind.heading as Value);
  const rise = useNow(`${base}/rise`, (wind as { rise?: Value }).rise);
  const { shapes } = useShapes();
  const names = useScene((s) => Object.fromEntries(Object.entries(s.bodies).map(([k, b]) => [k, b.name]))) ?? {};
  const way = [Math.cos(heading) * Math.cos(rise), Math.sin(rise), -Math.sin(heading) * Math.cos(rise)] as const;
  const along = Object.entries(shapes)
    .filter(([, s]) => s.triangles.length > 0 && met(s, way) < 0.01)
    .map(([k]) => names[k])
    .filter(Boolean);
  if (along.length === 0) return null;
  return (
    <Note tone="care">
      {of} goes along {along.slice(0, 3).join(', ')}
      {along.length > 3 ? ' and others' : ''}, which {along.length > 1 ? 'lie' : 'lies'} flat in it: it takes hold once they are moved by
      something else. Turn one of them, or let the wind rise.
    </Note>
  );
}

/** How much of a body's area a way meets as it starts, 0 to 1. */
function met(s: Shape, way: readonly [number, number, number]): number {
  let [across, all] = [0, 0];
  const p = s.placed;
  for (let k = 0; k < s.triangles.length; k += 3) {
    const [a, b, c] = [3 * s.triangles[k]!, 3 * s.triangles[k + 1]!, 3 * s.triangles[k + 2]!];
    const [u, v] = [
      [p[b]! - p[a]!, p[b + 1]! - p[a + 1]!, p[b + 2]! - p[a + 2]!],
      [p[c]! - p[a]!, p[c + 1]! - p[a + 1]!, p[c + 2]! - p[a + 2]!],
    ] as const;
    const n = [u[1]! * v[2]! - u[2]! * v[1]!, u[2]! * v[0]! - u[0]! * v[2]!, u[0]! * v[1]! - u[1]! * v[0]!];
    across += Math.abs(n[0]! * way[0] + n[1]! * way[1] + n[2]! * way[2]);
    all += Math.hypot(n[0]!, n[1]!, n[2]!);
  }
  return all > 0 ? across / all : 1;
}

const BY = [
  { value: 'air', label: 'moves air' },
  { value: 'push', label: 'pushes all alike' },
  { value: 'force', label: 'pushes by area' },
];

/** Where on its surface a skin push is strong. */
function SkinMap({ id, of, field }: { id: string; of: string; field: Field }) {
  const path = `/fields/${id}/map`;
  const on = 'skin' in field.act ? field.act.skin.of : null;
  const zone = () =>
    ({
      zone: { place: { position: [0, 0, 0], turn: [0, 0, 0], ...(on ? { on } : {}) }, form: { ball: { radius: 0.3 } }, edge: 0.3 },
    }) as Layer['weights'];
  const turn = (v: boolean) =>
    edit(`${of} ${v ? 'by a map' : 'without a map'}`, [
      v ? { op: 'add', path, value: { name: 'Where it is strong', layers: [{ weights: zone() }] } } : { op: 'remove', path },
    ]);
  return (
    <>
      <Line label="By a map">
        <Toggle label={`${of} by a map`} on={Boolean(field.map)} onTurn={(v) => void turn(v)} />
      </Line>
      {field.map && <Layers map={path} body={null} begin={zone} own={field.map} />}
    </>
  );
}

/** Whose surface a skin push has. */
function SkinOf({ base, of, is }: { base: string; of: string; is: { collider: string } | { figure: string } }) {
  const all =
    useScene((s) => [
      ...Object.entries(s.colliders ?? {})
        .filter(([, c]) => !('plane' in c.form) && !('figure' in c.form))
        .map(([k, c]) => ({ value: `collider ${k}`, label: c.name })),
      ...Object.entries(s.figures ?? {}).map(([k, f]) => ({ value: `figure ${k}`, label: f.name })),
    ]) ?? [];
  const [what, key] = Object.entries(is)[0] as [string, string];
  return (
    <ChoiceField
      label="Surface"
      of={of}
      value={`${what} ${key}`}
      options={all.some((o) => o.value === `${what} ${key}`) ? all : [...all, { value: `${what} ${key}`, label: `${key} (missing)` }]}
      onChoose={(v) => void setValue(`${of} surface`, `${base}/of`, { [v.split(' ')[0]!]: v.split(' ')[1] })}
    />
  );
}

const ALL: Record<string, { name: string }> = {};

/** On which bodies it acts. */
function On({ base, of, field }: { base: string; of: string; field: Field }) {
  const bodies = useScene((s) => s.bodies) ?? ALL;
  const keys = Object.keys(bodies);
  const groups = useScene((s) => [...new Set(Object.values(s.bodies).map((b) => b.touch?.group ?? 'cloth'))]) ?? [];
  if (keys.length < 2) return null;
  const chosen = (field.only !== undefined && field.only !== null) || (field.groups ?? []).length > 0;
  const groupOf = (k: string) => (bodies[k] as { touch?: { group?: string } } | undefined)?.touch?.group ?? 'cloth';
  const is = (k: string) =>
    (!chosen || Boolean(field.only?.includes(k)) || (field.groups ?? []).includes(groupOf(k))) && !(field.except ?? []).includes(k);
  const on = keys.filter(is);
  const turn = (k: string, v: boolean) => {
    const next = keys.filter((o) => (o === k ? v : is(o)));
    const patch: Op[] = [];
    for (const what of ['only', 'groups', 'except'] as const)
      if (field[what] !== undefined && field[what] !== null) patch.push({ op: 'remove', path: `${base}/${what}` });
    // Bodies that come later are met too, unless only some are.
    const left = keys.filter((o) => !next.includes(o));
    if (left.length > 0) patch.push({ op: 'add', path: `${base}/except`, value: left });
    void edit(`${of} ${v ? 'acts on' : 'leaves out'} ${bodies[k]!.name}`, patch);
  };
  return (
    <Fold name="On whom" note={on.length === keys.length ? 'all bodies' : on.map((k) => bodies[k]!.name).join(', ') || 'none'} closed>
      {keys.map((k) => (
        <Line key={k} label={bodies[k]!.name}>
          <Toggle label={`${of} on ${bodies[k]!.name}`} on={is(k)} onTurn={(v) => turn(k, v)} />
        </Line>
      ))}
      {groups.length > 1 && (
        <ChoiceField
          label="Or groups"
          of={of}
          value={field.groups?.[0] ?? '·'}
          options={[{ value: '·', label: 'whichever' }, ...groups.map((g) => ({ value: g, label: `only ${g}` }))]}
          onChoose={(g) => void setValue(`${of} on ${g === '·' ? 'all groups' : g}`, `${base}/groups`, g === '·' ? [] : [g])}
        />
      )}
    </Fold>
  );
}
