import { Fold } from '../ui/section';
import { NumberRow } from '../ui/number-field';
import { useScene } from '../state/queries';
import { at } from '../state/pointer';
import { showNumber } from '../ui/sum';

const AXES = ['x', 'y', 'z'];

/** Where a thing stands: a row for its position, a row for its turn. */
export function PlaceRows({ base, of }: { base: string; of: string }) {
  const note = useScene((s) => ((at(s, `${base}/place/position`) as number[] | undefined) ?? []).map(showNumber).join(', '));
  return (
    <Fold name="Place" note={note && `${note} m`}>
      <NumberRow label="Position, m" of={of} parts={AXES.map((name, k) => ({ path: `${base}/place/position/${k}`, name }))} />
      <NumberRow label="Turn, °" of={of} parts={AXES.map((name, k) => ({ path: `${base}/place/turn/${k}`, name }))} />
    </Fold>
  );
}
