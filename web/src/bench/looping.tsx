/** Frames that repeat: where from, how many, how far they are blended, and what jumps where they begin again. */
import { useState } from 'react';
import { edit, tell } from '../state/project';
import { findLoop } from '../state/looping';
import { useLoop, useScene } from '../state/queries';
import { Button } from '../ui/button';
import { Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { showNumber } from '../ui/sum';

const mm = (m: number) => `${showNumber(Number((1000 * m).toPrecision(2)))} mm`;
/** Times the usual step, and beyond all other steps, from which on a seam is seen. */
const SEEN = 2;

export function Looping() {
  const frames = useScene((s) => s.frames);
  const looped = frames?.loop;
  const [busy, setBusy] = useState(false);
  if (!frames) return null;
  const count = frames.last - frames.first + 1;
  const rate = frames.rate ?? 24;
  const turn = (on: boolean) => {
    const blend = Math.max(0, Math.min(Math.round(rate / 4), Math.floor(count / 4)));
    const length = Math.max(2, Math.min(2 * Math.round(rate), count - blend));
    void edit(on ? 'Loop' : 'No loop', [
      on
        ? { op: 'add', path: '/frames/loop', value: { from: frames.last - length + 1, length, blend } }
        : { op: 'remove', path: '/frames/loop' },
    ]);
  };
  const find = async () => {
    setBusy(true);
    try {
      await findLoop();
    } catch (e) {
      tell(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Section title="Loop">
      <Line label="Repeats">
        <Toggle label="Frames repeat as a loop" on={Boolean(looped)} disabled={count < 4} onTurn={turn} />
      </Line>
      {looped ? (
        <>
          <NumberField path="/frames/loop/from" of="Loop" whole frames={{ rate, zero: frames.first }} />
          <NumberField path="/frames/loop/length" of="Loop" whole />
          <NumberField path="/frames/loop/blend" of="Loop" whole otherwise={0} />
          <Actions>
            <Button
              disabled={busy}
              hint="Looks through all frames for two moments that are most alike, about as far apart as the loop is long"
              onClick={() => void find()}
            >
              {busy ? 'Looking…' : 'Find where it jumps least'}
            </Button>
          </Actions>
          <Told />
        </>
      ) : (
        <Note>Off: playing goes from the first frame to the last. A loop changes no frame, and is handed over as it plays.</Note>
      )}
    </Section>
  );
}

/** What jumps at the seam, body by body, and what does not repeat. */
function Told() {
  const { told, fault } = useLoop();
  if (fault) return <Note tone="care">{fault}</Note>;
  if (!told) return <Note>Looking at the seam…</Note>;
  return (
    <div data-testid="seam">
      {told.bodies.map(({ body, name, seam, plain }) => {
        const seen = seam.way > SEEN * Math.max(seam.usual_way, 1e-4) && seam.way > seam.most_way;
        return (
          <Note key={body} {...(seen ? { tone: 'care' } : {})}>
            {name} goes {mm(seam.way)} at most over the seam, where {mm(seam.usual_way)} is usual and {mm(seam.most_way)} the most elsewhere
            {plain.way > 1.1 * seam.way ? `; ${mm(plain.way)} if nothing were blended` : ''}.
          </Note>
        );
      })}
      {told.unrepeated.length > 0 && <Note tone="care">Not the same a loop later: {told.unrepeated.join(', ')}.</Note>}
    </div>
  );
}
