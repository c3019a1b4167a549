import type { Field } from '../api/http';
import { facts, isPlaced, kinds } from '../state/pointer';
import { edit, setValue } from '../state/project';
import { useScene, useSchema } from '../state/queries';
import { isMotion, plain } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Toggle } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Fold, Line, Row, Section } from '../ui/section';
import { showNumber, shownIn } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { PlaceRows } from './place';
import { SchemaRows } from './schema-rows';
import { ThingTools } from './thing-tools';
import { addField, capital, fieldOf } from './things';
import { WindPicture } from './wind';
import { ZoneRows } from './zone';

export function AirStep() {
  const fields = useScene((s) => s.fields) ?? {};
  const open = useView((v) => v.field);
  const schema = useSchema();
  return (
    <>
      <Section title="Fields">
        {Object.keys(fields).length === 0 && <p className="px-4 py-1.5">Nothing acts yet: no weight, no wind. Add gravity first.</p>}
        {Object.entries(fields).map(([id, f]) => (
          <Row
            key={id}
            name={f.name}
            note={words(f, schema)}
            mark={<Sign kind={fieldOf(f)} on={f.on !== false} />}
            open={id === open}
            onOpen={() => setView({ field: id === open ? null : id })}
            tools={<ThingTools kind="fields" id={id} name={f.name} />}
          >
            <FieldCard id={id} field={f} />
          </Row>
        ))}
      </Section>
      <Section title="Add">
        <div className="flex flex-wrap gap-2 px-4">
          {kinds(schema, 'Act').map(({ kind }) => (
            <Button key={kind} onClick={() => void addField(kind)}>{capital(kind)}</Button>
          ))}
        </div>
      </Section>
    </>
  );
}

function words(f: Field, schema: Record<string, unknown> | null): string {
  if (f.on === false) return 'off';
  const when = f.when ? `${f.when.from} to ${f.when.until}, ` : '';
  const [first] = Object.entries(f.act[fieldOf(f) as keyof Field['act']] as Record<string, unknown>);
  if (!first) return when;
  const unit = facts(schema, `/fields/-/act/${fieldOf(f)}/${first[0]}`).unit;
  const [shown, factor] = shownIn(unit);
  return `${when}${isMotion(first[1]) ? 'moves' : `${showNumber(plain(first[1]) * factor)} ${shown}`}`;
}

/** Signs of the kinds; one that has none has that of moving air. */
const SIGNS: Record<string, string> = {
  gravity: 'M8 2v11M4.5 9.5L8 13l3.5-3.5',
  wind: 'M1 6c5-4 8 3 14-1M1 11c5-4 8 3 14-1',
  vortex: 'M3 3c4 3 7 3 10 0M4.500 7c3 2 4.500 2 7 0M6 10.500c1.500 1 2.500 1 4 0M7.500 13.500h1',
  turbulence: 'M13 9a5 5 0 1 1-2-5M8.5 8a1.6 1.6 0 1 1-.4-1.2',
};

function Sign({ kind, on }: { kind: string; on: boolean }) {
  return (
    <svg width="16" height="16" aria-hidden>
      <path d={SIGNS[kind] ?? SIGNS['wind']} fill="none" stroke={on ? 'var(--plum)' : 'var(--line-strong)'} strokeWidth="1.8" strokeLinecap="round" />
    </svg>
  );
}

function FieldCard({ id, field }: { id: string; field: Field }) {
  const [first, last, rate] = useScene((s) => [s.frames.first, s.frames.last, s.frames.rate ?? 24] as const) ?? [0, 0, 24];
  const names = useScene((s) => Object.entries(s.fields ?? {}).filter(([k]) => k !== id).map(([, f]) => f.name)) ?? [];
  const kind = fieldOf(field);
  const base = `/fields/${id}`;
  const act = `${base}/act/${kind}`;
  const of = field.name;
  const turn = (on: boolean) =>
    on
      ? edit(`${of} limited in time`, [{ op: 'add', path: `${base}/when`, value: { from: first, until: last, ease: 12 } }])
      : edit(`${of} acts always`, [{ op: 'remove', path: `${base}/when` }]);
  const placed = isPlaced(useSchema(), kind);
  return (
    <>
      <Line label="Acts">
        <Toggle label={`${of} acts`} on={field.on !== false} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, `${base}/on`, v)} />
      </Line>
      {'wind' in field.act && <WindPicture wind={field.act.wind} base={act} />}
      <SchemaRows base={act} of={of} seldom={false} />
      {placed && <PlaceRows base={base} of={of} />}
      {kind !== 'gravity' && <ZoneRows base={base} of={of} zone={field.zone ?? undefined} />}
      <Line label="In a stretch">
        <Toggle label={`${of} only in a stretch of frames`} on={Boolean(field.when)} onTurn={(v) => void turn(v)} />
      </Line>
      {field.when && (
        <>
          <NumberRow label="Frames" of={of} whole frames={{ rate, zero: first }} parts={[{ path: `${base}/when/from`, name: 'from' }, { path: `${base}/when/until`, name: 'to' }]} />
          <NumberField path={`${base}/when/ease`} of={of} frames={{ rate, zero: 0 }} />
        </>
      )}
      <Fold name="Name and more" closed>
        <TextField label="Name" path={`${base}/name`} taken={names} />
        <SchemaRows base={act} of={of} seldom />
        <NumberField path={`${base}/share`} of={of} />
      </Fold>
    </>
  );
}
