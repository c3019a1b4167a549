import { useState } from 'react';
import type { Choice, Grip } from '../api/http';
import { useScene } from '../store/scene';
import { setView, useView } from '../store/view';
import { Button } from '../ui/button';
import { ChoiceField, SwitchField } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Note, Row, Section } from '../ui/section';
import { TextField } from '../ui/text-field';
import { useBody } from './bodies';
import { holdBorder, holdChosen, holdCorner, holdEvery, holdEyelets, removeGrip } from './grips';

export function HoldStep() {
  const id = useBody() ?? '';
  const body = useScene((s) => s.project?.scene.bodies[id]);
  const bodies = useScene((s) => s.project?.scene.bodies) ?? {};
  const shape = useScene((s) => s.shapes[id]);
  const { grip: open, points } = useView();
  const grips = Object.entries(body?.grips ?? {});
  const count = (g: string) => shape?.head.grips.find((h) => h.grip === g)?.points.length ?? 0;
  if (!body) return null;
  return (
    <>
      {Object.keys(bodies).length > 1 && (
        <div className="pb-2">
          <ChoiceField
            label="Body"
            value={id}
            options={Object.entries(bodies).map(([value, b]) => ({ value, label: b.name }))}
            onChoose={(b) => setView({ body: b, points: [], grip: null })}
          />
        </div>
      )}
      <Section
        title="Grips"
        action={
          <Button look="quiet" disabled={points.length === 0} hint="Holds the chosen points where they are (H)" onClick={() => void holdChosen()}>
            Hold {points.length > 0 ? `${points.length} chosen` : 'chosen'}
          </Button>
        }
      >
        {grips.length === 0 && <p className="px-4 py-1.5">Nothing holds it, so it will fall. Choose points in the view, or hold a border or corner below.</p>}
        {grips.map(([g, grip]) => (
          <Row
            key={g}
            name={grip.name}
            note={grip.on === false ? 'off' : `${count(g)} ${count(g) === 1 ? 'point' : 'points'} to the world`}
            mark={<Knot on={grip.on !== false} />}
            open={g === open}
            onOpen={() => setView({ grip: g === open ? null : g })}
          >
            <GripCard body={id} id={g} grip={grip} />
          </Row>
        ))}
      </Section>
      <ByBorder id={id} />
      <Section title="Points by hand">
        <Note>
          Pick: click a point; Shift adds, Alt takes away. Box: drag over points. {points.length > 0 ? `${points.length} chosen.` : 'None chosen.'}
        </Note>
        {points.length > 0 && <Actions><Button onClick={() => setView({ points: [] })}>Choose none</Button></Actions>}
      </Section>
    </>
  );
}

const Knot = ({ on }: { on: boolean }) => (
  <svg width="16" height="16" aria-hidden>
    <circle cx="8" cy="8" r="5" fill="none" stroke={on ? 'var(--ink)' : 'var(--faded)'} strokeWidth="2" strokeDasharray={on ? undefined : '3 2.5'} />
    {on && <circle cx="8" cy="8" r="1.6" fill="var(--ink)" />}
  </svg>
);

function GripCard({ body, id, grip }: { body: string; id: string; grip: Grip }) {
  const base = `/bodies/${body}/grips/${id}`;
  return (
    <>
      <TextField label="Name" path={`${base}/name`} />
      <SwitchField label="Holds" path={`${base}/on`} of={grip.name} />
      {grip.points.map((c, k) => (
        <ChoiceLine key={k} choice={c} path={`${base}/points/${k}`} of={grip.name} />
      ))}
      <Actions><Button onClick={() => void removeGrip(body, id)}>Let go</Button></Actions>
    </>
  );
}

function ChoiceLine({ choice, path, of }: { choice: Choice; path: string; of: string }) {
  if ('corner' in choice) return <Note>The {choice.corner.replace(/ corner$/, '')} corner</Note>;
  if ('near' in choice) return <Note>{choice.near.length} points chosen by hand</Note>;
  const { border, by } = choice.border;
  if (by === 'all') return <Note>All points of the border “{border}”</Note>;
  const kind = 'eyelets' in by ? 'eyelets' : 'every';
  return (
    <>
      <NumberField path={`${path}/border/by/${kind}`} label={kind === 'eyelets' ? 'Eyelets' : 'Every n-th'} of={of} whole />
      <Note>along the border “{border}”</Note>
    </>
  );
}

function ByBorder({ id }: { id: string }) {
  const shape = useScene((s) => s.shapes[id]);
  const [border, setBorder] = useState('');
  const [count, setCount] = useState('8');
  if (!shape || shape.head.borders.length === 0) return null;
  const chosen = shape.head.borders.find((b) => b.name === border) ?? shape.head.borders[0]!;
  const n = Number(count);
  const fits = Number.isInteger(n) && n >= 2 && n <= 2000;
  return (
    <Section title="Borders and corners">
      <ChoiceField
        label="Border"
        value={chosen.name}
        options={shape.head.borders.map((b) => ({ value: b.name, label: `${b.name}, ${b.points.length} points` }))}
        onChoose={(b) => {
          setBorder(b);
          setView({ points: [...(shape.head.borders.find((x) => x.name === b)?.points ?? [])] });
        }}
      />
      <Actions>
        <Button onClick={() => void holdBorder(id, chosen.name)}>Hold all of it</Button>
        <span className="flex items-center gap-1.5">
          <Button disabled={!fits} onClick={() => void holdEyelets(id, chosen.name, n)}>Hold by eyelets</Button>
          <Button disabled={!fits} hint="Every n-th point, from the border’s start" onClick={() => void holdEvery(id, chosen.name, n)}>Every n-th</Button>
          <input
            aria-label="How many eyelets, or which n-th"
            className="num h-6 w-12 rounded-[5px] border border-line-strong bg-field px-1.5"
            value={count}
            onChange={(e) => setCount(e.target.value)}
          />
        </span>
      </Actions>
      {shape.head.corners.length > 0 && shape.head.corners.length <= 12 && (
        <Actions>
          {shape.head.corners.map((c) => (
            <Button key={c.name} onClick={() => void holdCorner(id, c.name)}>{c.name}</Button>
          ))}
        </Actions>
      )}
    </Section>
  );
}
