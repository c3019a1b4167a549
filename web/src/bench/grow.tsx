/** Strands: what they grow on and how, what they are made of, and what others meet of them. */
import type { Body } from '../api/http';
import { edit, setValue } from '../state/project';
import { useScene } from '../state/queries';
import { ChoiceField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Fold } from '../ui/section';
import { Fibre } from './fibre';
import { Outlet } from './outlet';

export type Strands = Extract<Body['kind'], { strands: unknown }>['strands'];

const EVENLY = '·';
const NONE: Record<string, { name: string }> = {};

export function GrowRows({ id, of, own }: { id: string; of: string; own: Strands }) {
  const path = `/bodies/${id}/kind/strands`;
  const maps = useScene((s) => s.bodies[id]?.maps) ?? NONE;
  const patch = own.from === undefined || own.from === 'space';
  const row = (key: string) => <NumberField path={`${path}/${key}`} of={of} />;
  const whole = (key: string) => <NumberField path={`${path}/${key}`} of={of} whole />;
  return (
    <>
      <Outlet label="Grow on" path={`${path}/from`} of={of} from={own.from} space="a patch of its own" said="grow on" />
      {patch && (
        <NumberRow label="Patch, m" of={of} parts={['x', 'z'].map((name, k) => ({ path: `${path}/size/${k}`, name, otherwise: 0.3 }))} />
      )}
      {(own.spread != null || Object.keys(maps).length > 0) && (
        <ChoiceField
          label="Spread"
          of={of}
          value={own.spread ?? EVENLY}
          options={[
            { value: EVENLY, label: 'all over it alike' },
            ...Object.entries(maps).map(([value, m]) => ({ value, label: `by the map ${m.name}` })),
          ]}
          onChoose={(v) =>
            void edit(v === EVENLY ? `${of} spread alike` : `${of} spread by ${maps[v]?.name}`, [
              v === EVENLY ? { op: 'remove', path: `${path}/spread` } : { op: 'add', path: `${path}/spread`, value: v },
            ])
          }
        />
      )}
      {whole('count')}
      {whole('points')}
      {row('length')}
      {row('variation')}
      <Fold name="Shape at rest">
        <NumberRow label="Lean" of={of} parts={['x', 'y', 'z'].map((name, k) => ({ path: `${path}/lean/${k}`, name, otherwise: 0 }))} />
        {row('bow')}
        {row('windings')}
        {(own.windings ?? 0) > 0 && row('winding_radius')}
        {whole('seed')}
      </Fold>
      <Fibre id={id} of={of} own={own} />
      <Fold name="Roots, air and contact" closed>
        <ChoiceField
          label="Roots"
          of={of}
          value={own.hinged ? 'free' : 'set'}
          options={[
            { value: 'set', label: 'set, as in a wall' },
            { value: 'free', label: 'turn freely, as in a ring' },
          ]}
          onChoose={(v) => void setValue(v === 'free' ? `${of} roots turn freely` : `${of} roots are set`, `${path}/hinged`, v === 'free')}
        />
        {row('drag')}
        {row('along')}
        {row('twist')}
        {row('around')}
      </Fold>
    </>
  );
}
