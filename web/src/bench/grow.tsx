/** What strands grow on, and how they are held there. */
import type { Body } from '../api/http';
import { setValue } from '../state/project';
import { ChoiceField } from '../ui/choice-field';
import { NumberRow } from '../ui/number-field';
import { Outlet } from './outlet';

type Strands = Extract<Body['kind'], { strands: unknown }>['strands'];

export function GrowRows({ id, of, own }: { id: string; of: string; own: Strands }) {
  const path = `/bodies/${id}/kind/strands`;
  const patch = own.from === undefined || own.from === 'space';
  return (
    <>
      <Outlet label="Grow on" path={`${path}/from`} of={of} from={own.from} space="a patch of its own" said="grow on" />
      {patch && (
        <NumberRow label="Patch, m" of={of} parts={['x', 'z'].map((name, k) => ({ path: `${path}/size/${k}`, name, otherwise: 0.3 }))} />
      )}
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
    </>
  );
}
