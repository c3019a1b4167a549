import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { http, told, type Body, type Collider, type Cost } from '../api/http';
import { touchedWords } from '../loom/words';
import { edit, setValue } from '../state/project';
import { canBeHollow, facts, kinds } from '../state/pointer';
import { isGoing, useOpen, useRuns, useScene, useSchema } from '../state/queries';
import { nodeMoves } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Chip } from '../ui/chip';
import { Actions, Fold, Line, Note, Row, Section } from '../ui/section';
import { count, shownIn, showNumber } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { chooseMesh } from './import-mesh';
import { PlaceRows } from './place';
import { Menu, ThingTools } from './thing-tools';
import { SchemaRows } from './schema-rows';
import { SurfaceField } from './surface-field';
import { addCollider, capital, FLOOR, formOf, removeFloor, renameGroup } from './things';

export function ContactStep() {
  return (
    <>
      <Colliders />
      <Touching />
      <Groups />
      <div data-testid="costs">
        <Costs />
      </div>
    </>
  );
}

function Colliders() {
  const floor = useScene((s) => s.floor);
  const colliders = useScene((s) => s.colliders) ?? {};
  const open = useView((s) => s.collider);
  const schema = useSchema();
  const turn = (id: string) => setView({ collider: id === open ? null : id });
  return (
    <>
      <Section title="Colliders">
        {floor && (
          <Row
            name="Floor"
            note="a level plane"
            mark={<Mark kind="plane" on />}
            open={open === FLOOR}
            onOpen={() => turn(FLOOR)}
            tools={<Menu label="More for Floor" items={[{ name: 'Remove', act: () => void removeFloor() }]} />}
          >
            <NumberField path="/floor/height" of="Floor" />
            <NumberField path="/floor/friction" of="Floor" />
          </Row>
        )}
        {Object.entries(colliders).map(([id, c]) => (
          <Row
            key={id}
            name={c.name}
            note={words(c, schema)}
            mark={<Mark kind={formOf(c)} on={c.on !== false} />}
            open={id === open}
            onOpen={() => turn(id)}
            tools={<ThingTools kind="colliders" id={id} name={c.name} />}
          >
            <ColliderCard id={id} c={c} />
          </Row>
        ))}
        {!floor && Object.keys(colliders).length === 0 && (
          <p className="px-4 pb-2">Nothing to meet: what isn’t held falls out of the scene.</p>
        )}
      </Section>
      <Section title="Add">
        <div className="flex flex-wrap gap-2 px-4">
          {!floor && (
            <Chip
              picture={<Mark kind="plane" on />}
              name="Floor"
              onPress={() => void edit('Floor added', [{ op: 'add', path: '/floor', value: { height: 0, friction: 0.5 } }])}
            />
          )}
          {kinds(schema, 'Form').map(({ kind }) => (
            <Chip key={kind} picture={<Mark kind={kind} on />} name={capital(kind)} onPress={() => void addCollider(kind)} />
          ))}
          <Chip picture={<Mark kind="mesh" on />} name="Mesh" onPress={() => chooseMesh('mesh')} />
          <Chip picture={<Mark kind="hull" on />} name="Hull of a mesh" onPress={() => chooseMesh('hull')} />
        </div>
      </Section>
    </>
  );
}

/** What it is and its first number. */
function words(c: Collider, schema: Record<string, unknown> | null): string {
  if (c.on === false) return 'off';
  const kind = formOf(c);
  const first = Object.entries(c.form[kind as keyof Collider['form']] as Record<string, unknown>).find(([, v]) => typeof v === 'number');
  const [unit, factor] = shownIn(first ? facts(schema, `/colliders/-/form/${kind}/${first[0]}`).unit : '');
  const shown = first ? `${kind}, ${showNumber((first[1] as number) * factor)} ${unit}` : (NOTES[kind] ?? kind);
  return nodeMoves(c.place) ? `${shown}, moves` : shown;
}

const NOTES: Record<string, string> = { plane: 'all below it', hull: 'hull of a mesh', figure: 'skin of a figure' };

/** Signs of the forms; one that has none has that of a mesh. */
const SIGNS: Record<string, string> = {
  plane: 'M1 11h14M3 14l2-3M8 14l2-3M13 14l2-3',
  ball: 'M8 2a6 6 0 1 1 0 12a6 6 0 0 1 0-12M4 6c2.500 1.500 5.500 1.500 8 0',
  capsule: 'M5 5a3 3 0 0 1 6 0v6a3 3 0 0 1-6 0z',
  box: 'M2.500 5.500l5.500-3 5.500 3v6l-5.500 3-5.500-3zM2.500 5.500l5.500 2.700 5.500-2.700M8 8.200v6',
  hull: 'M3 4l6-2 5 5-2 6-7 1-3-5z',
  mesh: 'M2 13l4-10 8 3-3 8zM2 13l12-7M6 3l5 11',
};

function Mark({ kind, on }: { kind: string; on: boolean }) {
  return (
    <svg width="16" height="16" aria-hidden>
      <path
        d={SIGNS[kind] ?? SIGNS['mesh']}
        fill="none"
        stroke={on ? 'var(--rust)' : 'var(--line-strong)'}
        strokeWidth="1.500"
        strokeLinejoin="round"
      />
    </svg>
  );
}

function ColliderCard({ id, c }: { id: string; c: Collider }) {
  const names =
    useScene((s) =>
      Object.entries(s.colliders ?? {})
        .filter(([k]) => k !== id)
        .map(([, x]) => x.name),
    ) ?? [];
  const base = `/colliders/${id}`;
  const kind = formOf(c);
  const schema = useSchema();
  const of = c.name;
  return (
    <>
      <Line label="On">
        <Toggle label={`${of} acts`} on={c.on !== false} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, `${base}/on`, v)} />
      </Line>
      <SchemaRows base={`${base}/form/${kind}`} of={of} seldom={false} />
      {kind !== 'figure' && <PlaceRows base={base} of={of} />}
      <NumberField path={`${base}/friction`} of={of} />
      <NumberField path={`${base}/thickness`} of={of} />
      <Fold name="Name and more" closed>
        <TextField label="Name" path={`${base}/name`} taken={names} />
        {canBeHollow(schema, kind) && (
          <Line label="Keeps inside">
            <Toggle
              label={`${of} keeps cloth inside`}
              on={c.hollow ?? false}
              onTurn={(v) => void edit(`${of} keeps cloth ${v ? 'inside' : 'outside'}`, [{ op: 'add', path: `${base}/hollow`, value: v }])}
            />
          </Line>
        )}
        <TextField label="Group" of={of} path={`${base}/group`} onName={(to) => renameGroup(`${base}/group`, to)} />
        {kind !== 'figure' && <SurfaceField base={base} of={of} is={c.surface} />}
      </Fold>
    </>
  );
}

/** Which bodies are kept from going through themselves and each other. */
function Touching() {
  const bodies = useScene((s) => s.bodies) ?? {};
  const many = Object.keys(bodies).length > 1;
  if (Object.keys(bodies).length === 0) return null;
  return (
    <Section title="Bodies touch">
      {Object.entries(bodies).map(([id, b]) => (
        <div key={id} className="pb-1">
          <p className="px-4">{b.name}</p>
          <Line label="Itself">
            <Switch body={b} id={id} of="itself" words="touches itself" />
          </Line>
          {many && (
            <Line label="Other bodies">
              <Switch body={b} id={id} of="others" words="touches other bodies" />
            </Line>
          )}
          <TextField
            label="Group"
            of={b.name}
            path={`/bodies/${id}/touch/group`}
            onName={(to) => renameGroup(`/bodies/${id}/touch/group`, to)}
          />
        </div>
      ))}
    </Section>
  );
}

function Switch({ body, id, of, words: said }: { body: Body; id: string; of: 'itself' | 'others'; words: string }) {
  return (
    <Toggle
      label={`${body.name} ${said}`}
      on={body.touch?.[of] ?? false}
      onTurn={(v) => void setValue(`${body.name} ${said} ${v ? 'on' : 'off'}`, `/bodies/${id}/touch/${of}`, v)}
    />
  );
}

/** Who meets whom: a small table, where there is more than one group. */
function Groups() {
  const scene = useScene((s) => s);
  if (!scene) return null;
  const bodies = [...new Set(Object.values(scene.bodies).map((b) => b.touch?.group ?? 'cloth'))];
  const others = [...new Set([...bodies, ...Object.values(scene.colliders ?? {}).map((c) => c.group ?? 'solid')])];
  if (others.length < 2) return null;
  const apart = (scene.apart ?? []) as [string, string][];
  const meet = (a: string, b: string) => !apart.some(([p, q]) => (p === a && q === b) || (p === b && q === a));
  const turn = (a: string, b: string, v: boolean) => {
    const rest = apart.filter(([p, q]) => !((p === a && q === b) || (p === b && q === a)));
    return edit(`${a} and ${b} ${v ? 'meet' : 'pass'}`, [{ op: 'add', path: '/apart', value: v ? rest : [...rest, [a, b]] }]);
  };
  return (
    <Section title="Groups meet">
      <table className="mx-4 text-[12px]">
        <thead>
          <tr>
            <td />
            {others.map((o) => (
              <th key={o} scope="col" className="px-2 pb-1 font-normal text-faded">
                {o}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {bodies.map((b) => (
            <tr key={b}>
              <th scope="row" className="pr-3 text-left font-normal text-faded">
                {b}
              </th>
              {others.map((o) => (
                <td key={o} className="px-2 py-0.5 text-center">
                  <Toggle label={`${b} meets ${o}`} on={meet(b, o)} onTurn={(v) => void turn(b, o, v)} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** What the last run spent on contact, and what to do about the dearest. */
function Costs() {
  const run = useRuns((all) => all.find((r) => r.costs.length > 0));
  const going = useRuns((all) => all.some(isGoing));
  const colliders = useScene((s) => s.colliders) ?? {};
  const [all, setAll] = useState(false);
  if (!run || run.costs.length === 0) return null;
  const most = run.costs[0]!;
  const sum = run.costs.reduce((n, c) => n + c.milliseconds, 0);
  return (
    <Section title={going ? 'Cost so far' : 'Cost of the last run'}>
      {run.costs.slice(0, all ? undefined : 6).map((c) => (
        <div key={`${c.body}/${JSON.stringify(c.with)}`} className="px-4 py-0.5">
          <p className="flex justify-between gap-3">
            <span className="truncate">
              {c.name} and {touchedWords(c.with)}
            </span>
            <span className="num shrink-0 text-faded">{c.milliseconds.toFixed(c.milliseconds < 10 ? 2 : 0)} ms</span>
          </p>
          <div className="h-1 bg-rust/70" style={{ width: `${(100 * c.milliseconds) / most.milliseconds}%` }} />
          {c.with.kind === 'collider' && <InItsPlace collider={colliders[c.with.id]} />}
        </div>
      ))}
      {run.costs.length > 6 && (
        <Actions>
          <Button onClick={() => setAll(!all)}>{all ? 'Fewer' : `All ${run.costs.length}`}</Button>
        </Actions>
      )}
      <Note>
        {showNumber(Number(sum.toPrecision(3)))} ms a frame in all.{' '}
        {advice(most, most.with.kind === 'collider' ? colliders[most.with.id] : undefined)}
      </Note>
    </Section>
  );
}

/** What capsules would take in the place of a figure's skin, measured where one asks. */
function InItsPlace({ collider }: { collider: Collider | undefined }) {
  const id = useOpen();
  const figure = collider && 'figure' in collider.form ? collider.form.figure.figure : '';
  const { data } = useQuery({
    queryKey: ['stand-ins', id, figure],
    queryFn: () => told(http.GET('/api/projects/{id}/figures/{figure}/stand-ins', { params: { path: { id, figure } } })),
    enabled: figure !== '',
    staleTime: 60_000,
    retry: 0,
  });
  if (!data) return null;
  return (
    <p className="text-[12px] text-faded">
      {count(data.colliders.length, 'capsule')} in its place: at most {data.capsules.toFixed(2)} ms, and the {data.skin.toFixed(2)} ms of
      moving its skin are spared too
    </p>
  );
}

function advice(c: Cost, collider: Collider | undefined): string {
  if (c.with.kind === 'itself')
    return `${c.name} with itself is the dearest: fewer points, or no contact with itself where it doesn’t fold.`;
  if (c.with.kind === 'floor') return 'The floor is the dearest, and it is cheap: there is little to gain here.';
  const two = `${c.name} and ${touchedWords(c.with)} are the dearest: `;
  if (!collider) return `${two}fewer points, or groups that pass each other where they don’t meet.`;
  const kind = formOf(collider);
  if (kind === 'mesh') return `${two}a coarser mesh, or balls, capsules and boxes in its place.`;
  if (kind === 'figure') return `${two}capsules in its place, which Shape fits to its joints in one press.`;
  if (kind === 'hull') return `${two}a mesh with fewer corners, or a box in its place.`;
  return `${two}a ${kind} is as cheap as can be. Fewer points would make all of it cheaper.`;
}
