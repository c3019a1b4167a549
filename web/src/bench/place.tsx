import { Fold } from '../ui/section';
import { NumberRow } from '../ui/number-field';
import { StandsOn } from './stands-on';
import { useScene } from '../state/queries';
import { at } from '../state/pointer';
import type { Node } from '../api/http';
import { nodeMoves, placeOf } from '../state/value';
import { showNumber } from '../ui/sum';

const AXES = ['x', 'y', 'z'];

/** Where a thing stands: a row for its position, a row for its turn. */
export function PlaceRows({ base, of }: { base: string; of: string }) {
  const note = useScene((s) => {
    const place = at(s, `${base}/place`) as Node | undefined;
    return nodeMoves(place) ? 'moves' : `${placeOf(place).position.map(showNumber).join(', ')} m`;
  });
  return (
    <Fold name="Place" note={note}>
      <NumberRow label="Position, m" of={of} parts={AXES.map((name, k) => ({ path: `${base}/place/position/${k}`, name }))} />
      <NumberRow label="Turn, °" of={of} parts={AXES.map((name, k) => ({ path: `${base}/place/turn/${k}`, name }))} />
      <StandsOn base={base} of={of} />
    </Fold>
  );
}
