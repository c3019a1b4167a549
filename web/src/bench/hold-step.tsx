import { useRef, useState } from 'react';
import type { Choice as Chosen, Grip } from '../api/http';
import { choosePoints } from '../state/choice';
import { edit, setValue } from '../state/project';
import { grows, useFigure, useScene, useShape } from '../state/queries';
import { clothOf, isLoose } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Choice, ChoiceField, SwitchField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Line, Note, Row, Section } from '../ui/section';
import { count as counted } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { Handles } from './handles';
import {
  chosenRow,
  connectedChoice,
  grow,
  invertChoice,
  keepChoice,
  holdBorder,
  holdChosen,
  holdCorner,
  holdEvery,
  holdEyelets,
} from './grips';
import { combChosen } from './brush';
import { Maps } from './maps';
import { Menu } from './thing-tools';
import { capital, removeGrip } from './things';
import { useBody } from './use-body';

const NONE: Record<string, Grip> = {};

export function HoldStep() {
  const id = useBody() ?? '';
  const bodies = useScene((s) => Object.entries(s.bodies).map(([value, b]) => ({ value, label: b.name }))) ?? [];
  const grips = useScene((s) => s.bodies[id]?.grips) ?? NONE;
  const handles = useScene((s) => s.handles) ?? {};
  const { shape } = useShape(id);
  const open = useView((v) => v.grip);
  const points = useView((v) => v.points.length);
  const loose = useScene((s) => Boolean(s.bodies[id] && isLoose(s.bodies[id]))) ?? false;
  const rooted = useScene((s) => Boolean(s.bodies[id] && grows(s.bodies[id]))) ?? false;
  const combed = useScene((s) => Boolean(s.bodies[id] && 'strands' in s.bodies[id].kind)) ?? false;
  const strokes =
    useScene((s) => {
      const kind = s.bodies[id]?.kind;
      return kind && 'strands' in kind ? (kind.strands.combed?.length ?? 0) : 0;
    }) ?? 0;
  const held = (g: string) => shape?.head.grips.find((h) => h.grip === g)?.points.length ?? 0;
  const figures = useScene((s) => s.figures) ?? {};
  const to = (g: Grip) => {
    if (typeof g.to !== 'object') return '';
    const held = g.to;
    if ('body' in held) return ` to ${bodies.find((b) => b.value === held.body)?.label ?? 'a body'}`;
    return 'handle' in held ? ` to ${handles[held.handle]?.name ?? 'a handle'}` : ` to ${figures[held.figure.figure]?.name ?? 'a figure'}`;
  };
  const which = bodies.length > 1 && (
    <div className="pb-2">
      <ChoiceField label="Body" value={id} options={bodies} onChoose={(b) => setView({ body: b, points: [], grip: null })} />
    </div>
  );
  if (loose) {
    return (
      <>
        {which}
        <Note>
          These are loose pieces: nothing holds them. They begin in their space and fall. Maps scale their weight, drag and friction.
        </Note>
        <Maps id={id} />
      </>
    );
  }
  return (
    <>
      {which}
      <Section
        title="Grips"
        action={
          <Button look="quiet" disabled={points === 0} hint="Holds the chosen points where they are (H)" onClick={() => void holdChosen()}>
            Hold {points > 0 ? `${points} chosen` : 'chosen'}
          </Button>
        }
      >
        {Object.keys(grips).length === 0 && (
          <p className="px-4 py-1.5">
            {rooted
              ? 'Its roots hold it. Other points can be held too: choose them in the view, or hold the tips below.'
              : 'Nothing holds it, so it will fall. Choose points in the view, or hold a border or corner below.'}
          </p>
        )}
        {Object.entries(grips).map(([g, grip]) => (
          <Row
            key={g}
            name={grip.name}
            note={grip.on === false ? 'off' : `${counted(held(g), 'point')}${to(grip)}`}
            mark={<Knot on={grip.on !== false} />}
            open={g === open}
            onOpen={() => setView({ grip: g === open ? null : g })}
            tools={<Menu label={`More for ${grip.name}`} items={[{ name: 'Remove', act: () => void removeGrip(id, g) }]} />}
          >
            <GripCard body={id} id={g} grip={grip} held={held(g)} />
          </Row>
        ))}
      </Section>
      {shape?.head.fault && (
        <Note tone="care">
          {capital(shape.head.fault)}. It can’t be computed until that is mended; what it held by maps is left out in the view.
        </Note>
      )}
      <Maps id={id} />
      {combed && (
        <Section
          title="Combing"
          action={
            <Button
              look="quiet"
              hint="Lays, parts, lengthens and cuts them by strokes in the view, as they are at the first frame"
              onClick={combChosen}
            >
              Comb
            </Button>
          }
        >
          <Note>{strokes > 0 ? `${counted(strokes, 'stroke')} over how they grow.` : 'As they grow.'}</Note>
        </Section>
      )}
      {!rooted && <Follow id={id} />}
      <Handles />
      <ByBorder id={id} />
      <Section title="Points by hand">
        <Note>
          Pick: click a point; Shift adds, Alt takes away; arrows go from point to point, Enter takes one. Box: drag over points. Lasso:
          draw around them. {points > 0 ? `${points} chosen.` : 'None chosen.'}
        </Note>
        {points > 0 && (
          <Actions>
            <Button onClick={() => choosePoints([])}>Choose none</Button>
            <Button hint="Takes in the points around (G)" onClick={() => grow(1)}>
              Wider
            </Button>
            <Button hint="Leaves out those at the rim (Shift G)" onClick={() => grow(-1)}>
              Narrower
            </Button>
            <Button hint="All others in their place (I)" onClick={invertChoice}>
              The rest
            </Button>
            <Button hint="All that hangs together with them" onClick={connectedChoice}>
              Whole piece
            </Button>
            <Button
              hint="The row of edges that the last two lie in; a double click on an edge takes its row at once (R)"
              disabled={points < 2}
              onClick={chosenRow}
            >
              Along the thread
            </Button>
            <Button hint="By a name, to choose them again" onClick={() => void keepChoice()}>
              Keep
            </Button>
          </Actions>
        )}
        <KeptChoices id={id} />
      </Section>
    </>
  );
}

const NO_CHOICES: Record<string, { name: string }> = {};

/** Points that are kept by a name: a press chooses them again. */
function KeptChoices({ id }: { id: string }) {
  const choices = useScene((s) => s.bodies[id]?.choices) ?? NO_CHOICES;
  const { shape } = useShape(id);
  const [open, setOpen] = useState<string | null>(null);
  const base = `/bodies/${id}/choices`;
  return Object.entries(choices).map(([k, c]) => {
    const points = shape?.head.choices.find((x) => x.choice === k)?.points ?? [];
    return (
      <Row
        key={k}
        name={c.name}
        note={points.length > 0 ? counted(points.length, 'point') : 'none any more'}
        open={open === k}
        onOpen={() => {
          setOpen(open === k ? null : k);
          choosePoints([...points]);
        }}
        tools={
          <Menu
            label={`More for ${c.name}`}
            items={[
              { name: 'Choose', act: () => choosePoints([...points]) },
              { name: 'Remove', act: () => void edit(`${c.name} no longer kept`, [{ op: 'remove', path: `${base}/${k}` }]) },
            ]}
          />
        }
      >
        <TextField
          label="Name"
          path={`${base}/${k}/name`}
          taken={Object.entries(choices)
            .filter(([o]) => o !== k)
            .map(([, o]) => o.name)}
        />
      </Row>
    );
  });
}

const Knot = ({ on }: { on: boolean }) => (
  <svg width="16" height="16" aria-hidden>
    <circle
      cx="8"
      cy="8"
      r="5"
      fill="none"
      stroke={on ? 'var(--ink)' : 'var(--faded)'}
      strokeWidth="2"
      strokeDasharray={on ? undefined : '3 2.5'}
    />
    {on && <circle cx="8" cy="8" r="1.6" fill="var(--ink)" />}
  </svg>
);

function GripCard({ body, id, grip, held }: { body: string; id: string; grip: Grip; held: number }) {
  const base = `/bodies/${body}/grips/${id}`;
  const names =
    useScene((s) =>
      Object.entries(s.bodies[body]?.grips ?? {})
        .filter(([k]) => k !== id)
        .map(([, g]) => g.name),
    ) ?? [];
  const eyelets = grip.points.reduce(
    (n, c) => n + ('border' in c && typeof c.border.by === 'object' && 'eyelets' in c.border.by ? c.border.by.eyelets : 0),
    0,
  );
  return (
    <>
      <TextField label="Name" path={`${base}/name`} taken={names} />
      <SwitchField label="On" path={`${base}/on`} of={grip.name} says={['holds', 'lets go']} />
      <HeldTo path={`${base}/to`} grip={grip} body={base.split('/')[2]!} />
      <NumberField path={`${base}/hold`} label="Amount" otherwise={1} of={grip.name} />
      <ByMap body={body} path={`${base}/map`} grip={grip} />
      <Line label="By a spring">
        <Toggle
          label={`${grip.name} by a spring`}
          on={grip.spring != null}
          onTurn={(v) =>
            void edit(`${grip.name} ${v ? 'held by a spring' : 'held firmly'}`, [
              v ? { op: 'add', path: `${base}/spring`, value: 20 } : { op: 'remove', path: `${base}/spring` },
            ])
          }
        />
      </Line>
      {grip.spring != null && <NumberField path={`${base}/spring`} of={grip.name} />}
      {grip.points.map((c, k) => (
        <ChoiceLine key={k} choice={c} path={`${base}/points/${k}`} of={grip.name} />
      ))}
      {grip.on !== false && eyelets > held && held > 0 && grip.points.length === 1 && (
        <Note tone="care">
          The border has {held} points, so there are {held} eyelets and not {eyelets}. A finer body has room for more.
        </Note>
      )}
    </>
  );
}

/** How firmly it holds each point: all alike, or by a map. */
function ByMap({ body, path, grip }: { body: string; path: string; grip: Grip }) {
  const maps = useScene((s) => s.bodies[body]?.maps) ?? {};
  if (Object.keys(maps).length === 0 && !grip.map) return null;
  const choose = (v: string) =>
    v !== WORLD
      ? setValue(`${grip.name} by ${maps[v]?.name ?? v}`, path, v)
      : edit(`${grip.name} holds all alike`, [{ op: 'remove', path }]);
  return (
    <ChoiceField
      label="By the map"
      of={grip.name}
      value={grip.map ?? WORLD}
      options={[
        ...(grip.points.length > 0 || !grip.map ? [{ value: WORLD, label: 'all points alike' }] : []),
        ...Object.entries(maps).map(([k, m]) => ({ value: k, label: m.name })),
      ]}
      onChoose={(v) => void choose(v)}
    />
  );
}

/** How strongly it is drawn to where its rest shape would be. */
function Follow({ id }: { id: string }) {
  const [on, name] = useScene((s) => [s.bodies[id]?.follow != null, s.bodies[id]?.name ?? ''] as const) ?? [false, ''];
  const scaled = useScene((s) => s.bodies[id]?.scaled?.follow);
  const maps = useScene((s) => s.bodies[id]?.maps) ?? {};
  const path = `/bodies/${id}/follow`;
  const turn = (v: boolean) =>
    v
      ? edit(`${name} follows its rest shape`, [{ op: 'add', path, value: 40 }])
      : edit(`${name} does not follow`, [
          ...(scaled ? [{ op: 'remove' as const, path: `/bodies/${id}/scaled/follow` }] : []),
          { op: 'remove', path },
        ]);
  return (
    <Section title="Follow">
      <Line label="Rest shape">
        <Toggle label={`${name} follows its rest shape`} on={on} onTurn={(v) => void turn(v)} />
      </Line>
      {on && (
        <>
          <NumberField path={path} label="How strongly" of={name} />
          <Note>
            {scaled ? `Scaled by “${maps[scaled.map]?.name ?? scaled.map}”. ` : ''}Drawn to where its rest shape would be on what it stands
            on, without ringing: 40 takes about half a second, 10 000 a frame.
          </Note>
        </>
      )}
    </Section>
  );
}

const WORLD = '·';

/** What its points follow: nothing, a handle, a figure's skin or another body where they are nearest to it. */
function HeldTo({ path, grip, body }: { path: string; grip: Grip; body: string }) {
  const others = useScene((s) => Object.entries(s.bodies).filter(([k, b]) => k !== body && clothOf(b))) ?? [];
  const handles = useScene((s) => s.handles) ?? {};
  const figures = useScene((s) => s.figures) ?? {};
  const { look } = useFigure(typeof grip.to === 'object' && 'figure' in grip.to ? grip.to.figure.figure : (Object.keys(figures)[0] ?? ''));
  const key = (to: unknown) => (to === undefined || to === 'world' ? WORLD : JSON.stringify(to));
  const all = [
    { to: 'world' as unknown, label: 'the world' },
    ...Object.entries(handles).map(([k, h]) => ({ to: { handle: k } as unknown, label: h.name })),
    ...others.map(([k, b]) => ({ to: { body: k } as unknown, label: `${b.name}, which carries it` })),
    ...Object.entries(figures).flatMap(([k, f]) => [
      { to: { figure: { figure: k } } as unknown, label: `${f.name}, its skin` },
      ...((look?.parts.length ?? 0) > 1
        ? look!.parts.map((p) => ({ to: { figure: { figure: k, parts: [p.name] } } as unknown, label: `${f.name}, its ${p.name}` }))
        : []),
    ]),
  ];
  if (all.length === 1) return null;
  if (!all.some((o) => key(o.to) === key(grip.to))) all.push({ to: grip.to, label: 'something else' });
  return (
    <ChoiceField
      label="Held to"
      of={grip.name}
      value={key(grip.to)}
      options={all.map((o) => ({ value: key(o.to), label: o.label }))}
      onChoose={(v) =>
        void setValue(`${grip.name} held to ${all.find((o) => key(o.to) === v)?.label ?? ''}`, path, all.find((o) => key(o.to) === v)?.to)
      }
    />
  );
}

function ChoiceLine({ choice, path, of }: { choice: Chosen; path: string; of: string }) {
  if ('corner' in choice) return <Note>The {choice.corner.replace(/ corner$/, '')} corner</Note>;
  if ('near' in choice)
    return <Note>{counted(choice.near.length, 'point')} chosen by hand, by where they were: a change of density leaves gaps</Note>;
  if ('area' in choice)
    return (
      <Note>
        {choice.area.spots.length === 1 ? 'A point' : 'A part'} of the material, chosen by hand: it keeps its place at any density and size
      </Note>
    );
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
  const { shape } = useShape(id);
  const [border, setBorder] = useState('');
  const [count, setCount] = useState('8');
  const before = useRef('8');
  if (!shape || shape.head.borders.length === 0) return null;
  const chosen = shape.head.borders.find((b) => b.name === border) ?? shape.head.borders[0]!;
  const n = Number(count);
  const fits = Number.isInteger(n) && n >= 2 && n <= 2000;
  return (
    <Section title="Borders and corners">
      <ChoiceField
        label="Border"
        value={chosen.name}
        options={shape.head.borders.map((b) => ({ value: b.name, label: `${b.name}, ${counted(b.points.length, 'point')}` }))}
        onChoose={(b) => {
          setBorder(b);
          choosePoints([...(shape.head.borders.find((x) => x.name === b)?.points ?? [])]);
        }}
      />
      <Actions>
        <Button onClick={() => void holdBorder(id, chosen.name)}>Hold all of it</Button>
        <span className="flex items-center gap-1.5">
          <Button
            disabled={!fits}
            hint={n > chosen.points.length ? `The border has only ${chosen.points.length} points` : 'Evenly spaced from end to end'}
            onClick={() => void holdEyelets(id, chosen.name, n)}
          >
            Hold by eyelets
          </Button>
          <Button disabled={!fits} hint="Every n-th point, from the border’s start" onClick={() => void holdEvery(id, chosen.name, n)}>
            Every n-th
          </Button>
          <input
            aria-label="How many eyelets, or which n-th"
            data-typing="yes"
            className="num h-6 w-12 rounded-[5px] border border-line-strong bg-field px-1.5"
            value={count}
            onFocus={() => (before.current = count)}
            onChange={(e) => setCount(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Escape') setCount(before.current);
              if (e.key === 'Escape' || e.key === 'Enter') e.currentTarget.blur();
            }}
          />
        </span>
      </Actions>
      {shape.head.corners.length > 0 && shape.head.corners.length <= 40 && (
        <Line label="Corners">
          <Choice
            label="Hold a corner"
            value=""
            placeholder="hold one…"
            options={shape.head.corners.map((c) => ({ value: c.name, label: c.name }))}
            onChoose={(c) => void holdCorner(id, c)}
          />
        </Line>
      )}
    </Section>
  );
}
