/** Where loose pieces come from: all of them are there at first, or they come a few at a time. */
import type { Body } from '../api/http';
import { edit } from '../state/project';
import { ChoiceField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Fold } from '../ui/section';
import { Outlet } from './outlet';

type Drift = Extract<Body['kind'], { drift: unknown }>['drift'];
type Source = NonNullable<Drift['source']>;
const BEGINS: Source = { rate: 60, uneven: 0, velocity: [0, 0, 0], away: 0, scatter: 0.2, carried: 0, spin: 0 };

export function SourceRows({ id, of, own }: { id: string; of: string; own: Drift }) {
  const path = `/bodies/${id}/kind/drift/source`;
  const { source } = own;
  const turn = (on: boolean) =>
    void edit(on ? `${of} come a few at a time` : `${of} all there at first`, [
      on ? { op: 'add', path, value: BEGINS } : { op: 'remove', path },
    ]);
  return (
    <>
      <ChoiceField
        label="They come"
        of={of}
        value={source ? 'few' : 'all'}
        options={[
          { value: 'all', label: 'all at the first frame' },
          { value: 'few', label: 'a few at a time' },
        ]}
        onChoose={(v) => turn(v === 'few')}
      />
      {source && (
        <Fold name="Source">
          <Outlet label="From" path={`${path}/from`} of={of} from={source.from} space="its own box" said="come from" />
          <NumberField path={`${path}/rate`} of={of} />
          <ChoiceField
            label="They stay"
            of={of}
            value={source.life == null ? 'good' : 'life'}
            options={[
              { value: 'good', label: 'for good' },
              { value: 'life', label: 'for a time' },
            ]}
            onChoose={(v) =>
              void edit(v === 'life' ? `${of} stay for a time` : `${of} stay for good`, [
                v === 'life' ? { op: 'add', path: `${path}/life`, value: 2 } : { op: 'remove', path: `${path}/life` },
              ])
            }
          />
          {source.life != null && <NumberField path={`${path}/life`} of={of} />}
          {source.life != null && <NumberField path={`${path}/uneven`} of={of} otherwise={0} />}
          <NumberRow
            label="Speed, m/s"
            of={of}
            parts={['x', 'y', 'z'].map((name, k) => ({ path: `${path}/velocity/${k}`, name, otherwise: 0 }))}
          />
          <NumberField path={`${path}/away`} of={of} otherwise={0} />
          <NumberField path={`${path}/scatter`} of={of} otherwise={0} />
          <NumberField path={`${path}/carried`} label="Carried along" of={of} otherwise={0} />
          {own.flies != null && own.flies !== 'ball' && <NumberField path={`${path}/spin`} of={of} otherwise={0} />}
        </Fold>
      )}
    </>
  );
}
