import type { Field } from '../api/http';
import { edit, setValue } from '../state/project';
import { useScene } from '../state/queries';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Toggle } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Fold, Line, Row, Section } from '../ui/section';
import { showNumber } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { ThingTools } from './thing-tools';
import { addField, fieldOf, type FieldKind } from './things';
import { WindPicture } from './wind';

/** What is changed most, then the rest. */
const NUMBERS: Record<FieldKind, [string[], string[]]> = {
  gravity: [['strength'], []],
  wind: [['speed', 'heading', 'gust', 'gust_period'], ['rise', 'seed']],
  turbulence: [['strength', 'size', 'pace'], ['octaves', 'seed']],
};
const WHOLE = new Set(['octaves', 'seed']);

export function AirStep() {
  const fields = useScene((s) => s.fields) ?? {};
  const open = useView((v) => v.field);
  return (
    <>
      <Section title="Fields">
        {Object.keys(fields).length === 0 && <p className="px-4 py-1.5">Nothing acts yet: no weight, no wind. Add gravity first.</p>}
        {Object.entries(fields).map(([id, f]) => (
          <Row
            key={id}
            name={f.name}
            note={words(f)}
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
        <div className="flex gap-2 px-4">
          <Button onClick={() => void addField('gravity')}>Gravity</Button>
          <Button onClick={() => void addField('wind')}>Wind</Button>
          <Button onClick={() => void addField('turbulence')}>Turbulence</Button>
        </div>
      </Section>
    </>
  );
}

function words(f: Field): string {
  if (f.on === false) return 'off';
  const when = f.when ? `${f.when.from} to ${f.when.until}, ` : '';
  if ('gravity' in f.act) return `${when}${showNumber(f.act.gravity.strength)} m/s²`;
  if ('wind' in f.act) return `${when}${showNumber(f.act.wind.speed)} m/s`;
  return `${when}${showNumber(f.act.turbulence.size)} m swirls`;
}

function Sign({ kind, on }: { kind: FieldKind; on: boolean }) {
  const d = { gravity: 'M8 2v11M4.5 9.5L8 13l3.5-3.5', wind: 'M1 6c5-4 8 3 14-1M1 11c5-4 8 3 14-1', turbulence: 'M13 9a5 5 0 1 1-2-5M8.5 8a1.6 1.6 0 1 1-.4-1.2' }[kind];
  return (
    <svg width="16" height="16" aria-hidden>
      <path d={d} fill="none" stroke={on ? 'var(--plum)' : 'var(--line-strong)'} strokeWidth="1.8" strokeLinecap="round" />
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
  const number = (n: string) => <NumberField key={n} path={`${act}/${n}`} of={of} whole={WHOLE.has(n)} />;
  const [often, seldom] = NUMBERS[kind];
  return (
    <>
      <Line label="Acts">
        <Toggle label={`${of} acts`} on={field.on !== false} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, `${base}/on`, v)} />
      </Line>
      {'wind' in field.act && <WindPicture wind={field.act.wind} />}
      {often.map(number)}
      {kind === 'turbulence' && <NumberRow label="Drift, m/s" of={of} parts={['x', 'y', 'z'].map((name, k) => ({ path: `${act}/drift/${k}`, name }))} />}
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
        {seldom.map(number)}
      </Fold>
    </>
  );
}
