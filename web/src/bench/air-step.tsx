import type { Field } from '../api/http';
import { edit, setValue, useScene } from '../store/scene';
import { setView, useView } from '../store/view';
import { Button } from '../ui/button';
import { Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Line, Row, Section } from '../ui/section';
import { showNumber } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { addField, kindOf, removeField, type FieldKind } from './fields';

const NUMBERS: Record<FieldKind, string[]> = {
  gravity: ['strength'],
  wind: ['speed', 'heading', 'rise', 'gust', 'gust_period', 'seed'],
  turbulence: ['strength', 'size', 'pace', 'octaves', 'seed'],
};
const WHOLE = new Set(['octaves', 'seed']);

export function AirStep() {
  const fields = useScene((s) => s.project?.scene.fields) ?? {};
  const open = useView((s) => s.field);
  return (
    <>
      <Section title="Fields">
        {Object.keys(fields).length === 0 && <p className="px-4 py-1.5">Nothing acts yet: no weight, no wind. Add gravity first.</p>}
        {Object.entries(fields).map(([id, f]) => (
          <Row key={id} name={f.name} note={words(f)} mark={<Sign kind={kindOf(f)} on={f.on !== false} />} open={id === open} onOpen={() => setView({ field: id === open ? null : id })}>
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
  const last = useScene((s) => s.project?.scene.frames.last) ?? 0;
  const first = useScene((s) => s.project?.scene.frames.first) ?? 0;
  const kind = kindOf(field);
  const base = `/fields/${id}`;
  const act = `${base}/act/${kind}`;
  const turn = (on: boolean) =>
    on
      ? edit(`${field.name} limited in time`, [{ op: 'add', path: `${base}/when`, value: { from: first, until: last, ease: 12 } }])
      : edit(`${field.name} acts always`, [{ op: 'remove', path: `${base}/when` }]);
  return (
    <>
      <TextField label="Name" path={`${base}/name`} />
      <Line label="Acts">
        <Toggle label={`${field.name} acts`} on={field.on !== false} onTurn={(v) => void setValue(`${field.name} ${v ? 'on' : 'off'}`, `${base}/on`, v)} />
      </Line>
      {NUMBERS[kind].map((n) => (
        <NumberField key={n} path={`${act}/${n}`} of={field.name} whole={WHOLE.has(n)} />
      ))}
      {kind === 'turbulence' && ['x', 'y', 'z'].map((axis, k) => <NumberField key={axis} path={`${act}/drift/${k}`} label={`Drift ${axis}`} of={field.name} />)}
      <Line label="In a stretch">
        <Toggle label={`${field.name} only in a stretch of frames`} on={Boolean(field.when)} onTurn={(v) => void turn(v)} />
      </Line>
      {field.when && (
        <>
          <NumberField path={`${base}/when/from`} of={field.name} whole />
          <NumberField path={`${base}/when/until`} of={field.name} whole />
          <NumberField path={`${base}/when/ease`} of={field.name} />
        </>
      )}
      <Actions><Button onClick={() => void removeField(id)}>Remove {field.name}</Button></Actions>
    </>
  );
}
