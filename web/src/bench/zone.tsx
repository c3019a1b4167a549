import type { Field, Joined } from '../api/http';
import { edit, setValue } from '../state/project';
import { Button } from '../ui/button';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Line } from '../ui/section';
import { setView, useView } from '../state/view';
import { PlaceRows } from './place';
import { middle } from './things';
import { SchemaRows } from './schema-rows';

type Zone = NonNullable<Field['zone']>;

const FORMS: Record<string, object> = {
  ball: { radius: 1 },
  box: { size: [2, 2, 2] },
  capsule: { radius: 0.5, length: 2 },
  slab: { thickness: 1 },
  tube: { radius: 1, length: 2, wall: 0.2 },
};

const PROFILES = [
  { value: 'smooth', label: 'eased' },
  { value: 'straight', label: 'even' },
  { value: 'round', label: 'late' },
  { value: 'sharp', label: 'early' },
];

const fresh = () => ({ place: { position: middle(), turn: [0, 0, 0] }, form: { ball: FORMS['ball'] }, edge: 0.3 });

/** Where a field acts: everywhere, or in a part of space, or in several together. */
export function ZoneRows({ base, of, zone, more }: { base: string; of: string; zone: Zone | undefined; more: Joined[] }) {
  const path = `${base}/zone`;
  const turn = (on: boolean) => {
    if (on) return edit(`${of} in a zone`, [{ op: 'add', path, value: fresh() }]);
    return edit(`${of} everywhere`, [
      ...(more.length > 0 ? [{ op: 'remove' as const, path: `${base}/zones` }] : []),
      { op: 'remove', path },
    ]);
  };
  const add = () =>
    edit(`${of} in a zone more`, [
      more.length > 0
        ? { op: 'add', path: `${base}/zones/-`, value: { zone: fresh() } }
        : { op: 'add', path: `${base}/zones`, value: [{ zone: fresh() }] },
    ]);
  return (
    <>
      <Line label="In a zone">
        <span className="flex items-center justify-between">
          <Toggle label={`${of} only in a zone`} on={Boolean(zone)} onTurn={(v) => void turn(v)} />
          {zone && (
            <Button look="quiet" hint="A zone more, joined to this one" onClick={() => void add()}>
              Add a zone
            </Button>
          )}
        </span>
      </Line>
      {zone && <ZoneForms path={path} of={of} zone={zone} />}
      {zone &&
        more.map((j, k) => (
          <Fold key={k} name={`Zone ${k + 2}`} note={j.joins === 'either' ? 'or there' : 'and there'}>
            <ChoiceField
              label="Joined"
              of={`${of} zone ${k + 2}`}
              value={j.joins ?? 'both'}
              options={JOINS}
              onChoose={(v) => void setValue(`${of} zone ${k + 2} joined`, `${base}/zones/${k}/joins`, v)}
            />
            <ZoneForms path={`${base}/zones/${k}/zone`} of={`${of} zone ${k + 2}`} zone={j.zone} />
            <Actions>
              <Button
                onClick={() =>
                  void edit(`${of} without zone ${k + 2}`, [
                    { op: 'remove', path: more.length > 1 ? `${base}/zones/${k}` : `${base}/zones` },
                  ])
                }
              >
                Take it away
              </Button>
            </Actions>
          </Fold>
        ))}
    </>
  );
}

const JOINS = [
  { value: 'both', label: 'where both are' },
  { value: 'either', label: 'where either is' },
];

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
      <ChoiceField
        label="Profile"
        of={of}
        value={zone.profile ?? 'smooth'}
        options={PROFILES}
        onChoose={(v) => void setValue(`${of} zone ends ${PROFILES.find((p) => p.value === v)?.label ?? v}`, `${path}/profile`, v)}
      />
      <Line label="Turned inside out">
        <Toggle
          label={`${of} outside the zone`}
          on={zone.outside ?? false}
          onTurn={(v) => void edit(`${of} ${v ? 'outside' : 'inside'} its zone`, [{ op: 'add', path: `${path}/outside`, value: v }])}
        />
      </Line>
      <Line label="By hand">
        <Arms path={path} of={of} />
      </Line>
      <PlaceRows base={path} of={`${of} zone`} />
    </>
  );
}

/** Takes what has a place, and is no thing of its own, by its arms in the view. */
export function Arms({ path, of }: { path: string; of: string }) {
  const on = useView((v) => v.placing === path);
  return (
    <Button
      aria-pressed={on}
      hint="Arms in the view to move and turn it by"
      aria-label={`${of} by hand in the view`}
      onClick={() => setView({ placing: on ? null : path, tool: 'look' })}
    >
      {on ? 'Hide the arms' : 'Arms in the view'}
    </Button>
  );
}
