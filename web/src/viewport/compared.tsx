/** What is told of a take that is compared with what is on screen. */
import { useEffect, useState } from 'react';
import { useOpen } from '../state/queries';
import { useBeside, useTaken, useTakes } from '../state/takes';
import { DEEP, type Compared } from './beside';
import { stage } from './stage';

/** Shows the take that is compared, and tells what it is to what is on screen. */
export function ComparedLegend() {
  const id = useOpen();
  const on = useBeside((b) => (b.on?.project === id ? b.on : null));
  const taken = useTaken(on?.take ?? null);
  const takes = useTakes();
  const [told, setTold] = useState<Compared | null>(null);
  useEffect(() => {
    stage.onCompared = (c) => setTold((was) => (JSON.stringify(was) === JSON.stringify(c) ? was : c));
    stage.setBeside(on ? taken : null, on?.how ?? null);
  }, [on?.take, on?.how, taken && Object.keys(taken.shapes).join(), taken?.lanes]);
  const name = takes.find((t) => t.id === on?.take)?.name;
  if (!on || !told || !name) return null;
  const mm = (m: number) => `${Number((1000 * m).toPrecision(3))} mm`;
  return (
    <div data-testid="compared" className="rounded-md border border-line bg-raised/95 px-2.5 py-1">
      <p>
        {name}: {told.farthest > 0 ? `${mm(told.farthest)} apart at most` : 'nothing apart'} at this frame
      </p>
      {on.how === 'apart' && (
        <p className="num mt-0.5 flex items-center gap-1.5 text-[12px] text-faded">
          0
          <span className="h-2 w-24 rounded-sm" style={{ background: `linear-gradient(90deg, var(--linen, #e8d9b8), ${DEEP})` }} />
          {mm(told.full)}
        </p>
      )}
      {told.lacking.length > 0 && <p className="text-[12px] text-faded">It has no such frame of {told.lacking.join(', ')}</p>}
      {told.unlike.length > 0 && <p className="text-[12px] text-faded">Of other points than here: {told.unlike.join(', ')}</p>}
    </div>
  );
}
