import type { Field } from '../api/http';
import { edit, setValue } from '../state/project';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Line } from '../ui/section';
import { PlaceRows } from './place';
import { SchemaRows } from './schema-rows';

type Zone = NonNullable<Field['zone']>;

const FORMS: Record<string, object> = { ball: { radius: 1 }, box: { size: [2, 2, 2] }, capsule: { radius: 0.5, length: 2 }, slab: { thickness: 1 }, tube: { radius: 1, length: 2, wall: 0.2 } };

const PROFILES = [
  { value: 'smooth', label: 'by a smooth step' },
  { value: 'straight', label: 'straight' },
  { value: 'round', label: 'slowly, then at once' },
  { value: 'sharp', label: 'at once, then slowly' },
];

/** Where a field acts: everywhere, or in a part of space. */
export function ZoneRows({ base, of, zone }: { base: string; of: string; zone: Zone | undefined }) {
  const path = `${base}/zone`;
  const turn = (on: boolean) =>
    on
      ? edit(`${of} in a zone`, [{ op: 'add', path, value: { place: { position: [0, 1, 0], turn: [0, 0, 0] }, form: { ball: FORMS['ball'] }, edge: 0.3 } }])
      : edit(`${of} everywhere`, [{ op: 'remove', path }]);
  return (
    <>
      <Line label="In a zone">
        <Toggle label={`${of} only in a zone`} on={Boolean(zone)} onTurn={(v) => void turn(v)} />
      </Line>
      {zone && (
        <>
          <ZoneForms path={path} of={of} zone={zone} />
        </>
      )}
    </>
  );
}

/** The form of a zone, its edge and its place. */
export function ZoneForms({ path, of, zone }: { path: string; of: string; zone: Zone }) {
  const form = Object.keys(zone.form)[0]!;
  return (
    <>
      <ChoiceField
            label="Zone is a"
            value={form}
            options={Object.keys(FORMS).map((k) => ({ value: k, label: k }))}
            onChoose={(k) => void edit(`${of} zone is a ${k}`, [{ op: 'replace', path: `${path}/form`, value: { [k]: FORMS[k] } }])}
          />
      <SchemaRows base={`${path}/form/${form}`} of={`${of} zone`} seldom={false} />
      <NumberField path={`${path}/edge`} of={`${of} zone`} />
      <ChoiceField label="Profile" of={of} value={zone.profile ?? 'smooth'} options={PROFILES} onChoose={(v) => void setValue(`${of} zone ends ${v}`, `${path}/profile`, v)} />
      <Line label="All outside">
        <Toggle label={`${of} outside the zone`} on={zone.outside ?? false} onTurn={(v) => void edit(`${of} ${v ? 'outside' : 'inside'} its zone`, [{ op: 'add', path: `${path}/outside`, value: v }])} />
      </Line>
      <PlaceRows base={path} of={`${of} zone`} />
    </>
  );
}
