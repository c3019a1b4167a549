/** What the air takes pieces for; and the plants that let them go: each rule a sentence. */
import type { Body } from '../api/http';
import { edit } from '../state/project';
import { useScene } from '../state/queries';
import { plain, type Value } from '../state/value';
import { Button } from '../ui/button';
import { ChoiceField } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Note } from '../ui/section';

type Drift = Extract<Body['kind'], { drift: unknown }>['drift'];
type Shed = NonNullable<Drift['shed']>;
type Rule = Shed['rules'][number];

const FLIES = [
  { value: 'ball', label: 'balls' },
  { value: 'plate', label: 'thin plates, as leaves' },
  { value: 'wing', label: 'seeds with a wing' },
];
const RULE: Rule = { chance: 0.2, over: 4, order: 'random' };
const ORDERS = [
  { value: 'random', label: 'any of them' },
  { value: 'tips', label: 'the tips' },
  { value: 'roots', label: 'the roots' },
];
const ALIKE = '·';
const NOBODY = '·';

/** Numbers of pieces that say nothing as they are: what lets go needs no space, and leaves are as large and as heavy as they are. */
export function idle(own: Drift): string[] {
  const wing = typeof own.flies === 'object' && 'wing' in own.flies ? ['drag'] : [];
  if (!own.shed) return wing;
  return own.shed.what === 'heads' ? ['size', ...wing] : ['size', 'radius', 'variation', 'weight', ...wing];
}

/** As what pieces fly. */
export function FliesRows({ id, of, own }: { id: string; of: string; own: Drift }) {
  const path = `/bodies/${id}/kind/drift/flies`;
  const kind = own.flies === undefined || own.flies === 'ball' ? 'ball' : Object.keys(own.flies)[0]!;
  return (
    <>
      <ChoiceField
        label="They fly as"
        of={of}
        value={kind}
        options={FLIES}
        onChoose={(v) =>
          void edit(`${of} fly as ${FLIES.find((f) => f.value === v)?.label ?? v}`, [
            v === 'ball' ? { op: 'remove', path } : { op: 'add', path, value: { [v]: { thickness: 0.002 } } },
          ])
        }
      />
      {kind !== 'ball' && <NumberField path={`${path}/${kind}/thickness`} of={of} />}
    </>
  );
}

/** Plants that let pieces go. */
export function ShedRows({ id, of, own }: { id: string; of: string; own: Drift }) {
  const path = `/bodies/${id}/kind/drift/shed`;
  const bodies = useScene((s) => s.bodies) ?? {};
  const { shed } = own;
  const plants = Object.entries(bodies).flatMap(([key, b]) =>
    'plants' in b.kind ? [{ key, name: b.name, own: b.kind.plants, maps: b.maps }] : [],
  );
  if (own.source || (plants.length === 0 && !shed)) return null;
  const from = plants.find((p) => p.key === shed?.plants);
  const take = (key: string) => {
    const p = plants.find((x) => x.key === key);
    const what = p?.own.mesh || p?.own.species?.leaves ? 'leaves' : 'heads';
    return key === NOBODY
      ? edit(`${of} let go by nobody`, [{ op: 'remove', path }])
      : edit(`${of} let go by ${p?.name}`, [
          shed ? { op: 'replace', path: `${path}/plants`, value: key } : { op: 'add', path, value: { plants: key, what, rules: [RULE] } },
        ]);
  };
  const whole = from?.own.species;
  const whats = [
    { value: 'leaves', label: 'their leaves', has: Boolean(whole?.leaves ?? from?.own.mesh) },
    { value: 'heads', label: 'pieces of their heads', has: Boolean(whole?.heads) },
  ].filter((w) => w.has || w.value === shed?.what);
  return (
    <>
      <ChoiceField
        label="Let go by"
        of={of}
        value={shed?.plants ?? NOBODY}
        options={[{ value: NOBODY, label: 'no plants' }, ...plants.map((p) => ({ value: p.key, label: p.name }))]}
        onChoose={(v) => void take(v)}
      />
      {shed && (
        <Fold name="What is let go" note={shed.what ?? 'leaves'}>
          <ChoiceField
            label="They let go"
            of={of}
            value={shed.what ?? 'leaves'}
            options={whats}
            onChoose={(v) =>
              void edit(`${of} are ${v === 'leaves' ? 'leaves' : 'of heads'}`, [{ op: 'add', path: `${path}/what`, value: v }])
            }
          />
          {shed.what === 'heads' && <NumberField path={`${path}/each`} of={of} whole otherwise={1} />}
          {shed.what !== 'heads' && <Note>Each is as large and as heavy as the leaf that it was.</Note>}
          {shed.rules.map((rule, k) => (
            <RuleRows
              key={k}
              path={`${path}/rules/${k}`}
              of={of}
              rule={rule}
              name={from?.name ?? shed.plants}
              what={shed.what ?? 'leaves'}
              maps={from?.maps ?? {}}
              alone={shed.rules.length === 1}
            />
          ))}
          <Actions>
            <Button
              hint="A piece goes as soon as one of the rules lets it"
              onClick={() => void edit(`${of} by one rule more`, [{ op: 'add', path: `${path}/rules/-`, value: RULE }])}
            >
              Add a rule
            </Button>
          </Actions>
        </Fold>
      )}
    </>
  );
}

/** A rule, as a sentence and as its numbers. */
function RuleRows(props: {
  path: string;
  of: string;
  rule: Rule;
  name: string;
  what: string;
  maps: Record<string, { name: string }>;
  alone: boolean;
}) {
  const { path, of, rule, name, what, maps, alone } = props;
  return (
    <div className="mt-1 border-l-2 border-line-strong" data-testid="rule">
      <Note>{sentence(rule, name, what, rule.map ? maps[rule.map]?.name : undefined)}</Note>
      <NumberField path={`${path}/chance`} of={of} />
      <NumberField path={`${path}/over`} label="Air over" of={of} otherwise={0} />
      <ChoiceField
        label="First"
        of={of}
        value={rule.order ?? 'random'}
        options={ORDERS}
        onChoose={(v) =>
          void edit(`${of}, ${ORDERS.find((o) => o.value === v)?.label} first`, [{ op: 'add', path: `${path}/order`, value: v }])
        }
      />
      {(rule.map != null || Object.keys(maps).length > 0) && (
        <ChoiceField
          label="Where"
          of={of}
          value={rule.map ?? ALIKE}
          options={[
            { value: ALIKE, label: 'anywhere alike' },
            ...Object.entries(maps).map(([value, m]) => ({ value, label: `by the map ${m.name}` })),
          ]}
          onChoose={(v) =>
            void edit(v === ALIKE ? `${of} let go anywhere` : `${of} let go by ${maps[v]?.name}`, [
              v === ALIKE ? { op: 'remove', path: `${path}/map` } : { op: 'add', path: `${path}/map`, value: v },
            ])
          }
        />
      )}
      <When path={path} of={of} end="from" at={rule.from} />
      <When path={path} of={of} end="until" at={rule.until} />
      {!alone && (
        <Actions>
          <Button look="quiet" onClick={() => void edit(`${of} without a rule`, [{ op: 'remove', path }])}>
            Without this rule
          </Button>
        </Actions>
      )}
    </div>
  );
}

/** The first or the last frame in which a rule acts. */
function When({ path, of, end, at }: { path: string; of: string; end: 'from' | 'until'; at: number | null | undefined }) {
  const frames = useScene((s) => s.frames);
  const first = end === 'from';
  const begins = (first ? frames?.first : frames?.last) ?? 0;
  return (
    <>
      <ChoiceField
        label={first ? 'Begins' : 'Ends'}
        of={of}
        value={at == null ? 'all' : 'at'}
        options={[
          { value: 'all', label: first ? 'with the first frame' : 'with the last frame' },
          { value: 'at', label: 'at a frame' },
        ]}
        onChoose={(v) =>
          void edit(v === 'at' ? `${of} ${first ? 'begin' : 'end'} at ${begins}` : `${of} ${first ? 'begin' : 'end'} with all`, [
            v === 'at' ? { op: 'add', path: `${path}/${end}`, value: begins } : { op: 'remove', path: `${path}/${end}` },
          ])
        }
      />
      {at != null && <NumberField path={`${path}/${end}`} of={of} whole />}
    </>
  );
}

/** What a rule says, in words. */
function sentence(r: Rule, name: string, what: string, map: string | undefined): string {
  const chance = 100 * (1 - Math.exp(-plain(r.chance as Value)));
  const over = plain((r.over ?? 0) as Value);
  return [
    `Of ${name}, ${what}`,
    r.order === 'tips' ? 'tips first' : r.order === 'roots' ? 'roots first' : '',
    `${Number(chance.toPrecision(2))} % of those left a second${over > 0 ? ` where air is over ${Number(over.toPrecision(3))} m/s` : ''}`,
    map ? `by the map ${map}` : '',
    r.from != null ? `from frame ${r.from}` : '',
    r.until != null ? `until frame ${r.until}` : '',
  ]
    .filter(Boolean)
    .join(', ')
    .concat('.');
}
