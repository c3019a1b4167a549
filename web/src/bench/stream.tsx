/** The curve of a stream: drawn in the view, brought in, or by numbers. */
import { useRef } from 'react';
import type { Field } from '../api/http';
import { readCurves } from '../state/air';
import { setValue } from '../state/project';
import { say } from '../state/here';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { SwitchField } from '../ui/choice-field';
import { NumberRow } from '../ui/number-field';
import { Actions, Fold, Note } from '../ui/section';
import { count } from '../ui/sum';

type Stream = Extract<Field['act'], { stream: unknown }>['stream'];

/** Points that have rows of their own. */
const ROWS = 16;

export function StreamRows({ base, of, stream }: { base: string; of: string; stream: Stream }) {
  const file = useRef<HTMLInputElement>(null);
  const drawing = useView((v) => v.drawing === `${base}/points`);
  const n = stream.points.length;
  const bring = async (f: File) => {
    const curves = await readCurves(f);
    const first = curves?.[0];
    if (!first) return;
    await setValue(`${of} along ${first.name}`, base, { ...stream, points: first.points, closed: first.closed });
    if (curves.length > 1)
      say({
        title: `${curves.length} curves are in the file`,
        detail: `The stream takes the first, ${first.name}. Bring in the others by streams of their own.`,
        tone: 'note',
      });
  };
  return (
    <>
      <SwitchField label="Closed" path={`${base}/closed`} of={of} />
      <Actions>
        <Button
          look={drawing ? 'main' : 'plain'}
          hint="Press place after place in the view; Enter or Escape ends"
          onClick={() => setView({ drawing: drawing ? null : `${base}/points`, tool: 'look' })}
        >
          {drawing ? 'Done drawing' : 'Draw it in the view'}
        </Button>
        <Button hint="A curve of an OBJ, glTF or USD file" onClick={() => file.current?.click()}>
          Bring one in…
        </Button>
      </Actions>
      {drawing && (
        <Note>
          Press in the view: on what is there, else as far away as the place before. The first press begins a new curve; Backspace takes the
          last back; Enter ends.
        </Note>
      )}
      <Fold name="Points" note={count(n, 'point')} closed>
        {stream.points.slice(0, ROWS).map((_, k) => (
          <NumberRow
            key={k}
            label={`${k + 1}`}
            of={`${of} point ${k + 1}`}
            parts={['x', 'y', 'z'].map((name, c) => ({ path: `${base}/points/${k}/${c}`, name }))}
          />
        ))}
        {n > ROWS && <Note>and {count(n - ROWS, 'point')} more</Note>}
      </Fold>
      <FileInput ref={file} label={`Curve for ${of}`} read="curves" onFile={(f) => void bring(f)} />
    </>
  );
}
