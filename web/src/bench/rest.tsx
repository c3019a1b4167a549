/** What a cloth comes back to: the shape that it begins in, the same without folds, or a frame of its own; and how that grows. */
import type { Body } from '../api/http';
import { useFrame } from '../state/motion';
import { edit, setValue } from '../state/project';
import { growRest, restFromFrame } from '../state/rest';
import { clothOf, isMotion } from '../state/value';
import { Button } from '../ui/button';
import { ChoiceField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Fold, Note } from '../ui/section';

export function RestShape({ id, body }: { id: string; body: Body }) {
  const rest = clothOf(body)?.rest;
  const frame = useFrame(true);
  const of = body.name;
  const base = `/bodies/${id}/kind/cloth/rest`;
  const at = (
    <Button hint="Its points where they are now become what it comes back to" onClick={() => void restFromFrame(id, of, frame)}>
      As it is at {frame}
    </Button>
  );
  if (!rest) {
    return (
      <Fold name="Rest shape" note="as it begins" closed>
        <Note>What it comes back to: it can grow, lose its folds, or be as it is at a frame.</Note>
        <Actions>
          <Button onClick={() => void growRest(id, of)}>Let it grow</Button>
          {at}
        </Actions>
      </Fold>
    );
  }
  const shape = typeof rest.shape === 'string' ? rest.shape : rest.shape && 'frame' in rest.shape ? 'frame' : rest.shape ? 'mesh' : 'start';
  const shapes = [
    { value: 'start', label: 'as it begins' },
    { value: 'flat', label: 'the same without folds' },
    ...(shape === 'frame' ? [{ value: 'frame', label: 'a frame of its own' }] : []),
    ...(shape === 'mesh' ? [{ value: 'mesh', label: 'another mesh' }] : []),
  ];
  const moves = [rest.scale, rest.warp, rest.weft, rest.bend].some(isMotion);
  return (
    <Fold name="Rest shape" note={`${shapes.find((s) => s.value === shape)!.label}${moves ? ', changes' : ''}`}>
      <ChoiceField
        label="Comes back to"
        of={of}
        value={shape}
        options={shapes}
        onChoose={(v) => void setValue(`${of} comes back to ${shapes.find((s) => s.value === v)!.label}`, `${base}/shape`, v)}
      />
      <NumberField path={`${base}/scale`} of={of} otherwise={1} />
      <NumberRow
        label="Along"
        of={of}
        parts={[
          { path: `${base}/warp`, name: 'warp', otherwise: 1 },
          { path: `${base}/weft`, name: 'weft', otherwise: 1 },
        ]}
      />
      <NumberField path={`${base}/bend`} of={of} otherwise={1} />
      <Actions>
        {at}
        <Button look="quiet" onClick={() => void edit(`${of} comes back to what it begins as`, [{ op: 'remove', path: base }])}>
          As it begins
        </Button>
      </Actions>
    </Fold>
  );
}
