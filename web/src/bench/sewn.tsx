/** Seams and chambers of the open body: what is sewn, what fills it, what it holds, and freezing it. */
import { useState } from 'react';
import type { Body } from '../api/http';
import { useFrame } from '../state/motion';
import { edit, setValue } from '../state/project';
import { useScene, useSchema, useShape } from '../state/queries';
import { addChamber, addSeam, cutAt, freeze, remake, sewnShapes, takeAway, useFilled, type Chamber, type Seam } from '../state/sewn';
import { clothOf, isMotion, plain, type Value } from '../state/value';
import { Button } from '../ui/button';
import { Choice, ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Line, Note, Row } from '../ui/section';
import { count } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { Pattern } from './pattern';
import { Menu } from './thing-tools';
import { SHAPE_NAMES } from './things';

export function Sewn({ id, body }: { id: string; body: Body }) {
  const own = clothOf(body)!;
  const schema = useSchema();
  const { shape } = useShape(id);
  const [open, setOpen] = useState<string | null>(null);
  const seams = Object.entries(own.seams ?? {});
  const chambers = Object.entries(own.chambers ?? {});
  const panels = shape?.head.panels.length ?? 0;
  const kind = Object.keys(own.shape)[0]!;
  const kinds = sewnShapes(schema);
  if (seams.length === 0 && chambers.length === 0 && panels < 2) {
    return (
      <Fold name="Seams and filling" closed>
        <Note>A closed skin can be filled, and sides of panels can be sewn to each other.</Note>
        <Actions>
          <Button onClick={() => void addChamber(id)}>Fill it</Button>
        </Actions>
      </Fold>
    );
  }
  return (
    <>
      {kinds.some((k) => k.kind === kind) && (
        <ChoiceField
          label="Cut as"
          of={body.name}
          value={kind}
          options={kinds.map((k) => ({ value: k.kind, label: SHAPE_NAMES[k.kind] ?? k.kind }))}
          onChoose={(v) =>
            void remake(
              id,
              body.name,
              kinds.find((k) => k.kind === v)!,
            )
          }
        />
      )}
      {'panels' in own.shape && <Pattern id={id} of={body.name} panels={own.shape.panels} />}
      <Fold name="Filling" note={chambers.map(([, c]) => c.name).join(', ') || 'nothing'}>
        {chambers.map(([k, c]) => (
          <ChamberCard key={k} body={id} id={k} of={body.name} chamber={c} alone={chambers.length === 1} />
        ))}
        {chambers.length === 0 && (
          <Actions>
            <Button onClick={() => void addChamber(id)}>Fill it</Button>
          </Actions>
        )}
      </Fold>
      <Fold name="Seams" note={seams.length > 3 ? count(seams.length, 'seam') : seams.map(([, s]) => s.name).join(', ')}>
        {seams.map(([k, s]) => (
          <div key={k} className="pl-4">
            <Row
              name={s.name}
              note={wordsOf(s)}
              open={open === k}
              onOpen={() => setOpen(open === k ? null : k)}
              tools={<Menu label={`More for ${s.name}`} items={[{ name: 'Remove', act: () => void takeAway(id, 'seams', k) }]} />}
            >
              <SeamCard body={id} id={k} of={`${body.name} ${s.name}`} seam={s} />
            </Row>
          </div>
        ))}
        <NewSeam id={id} of={body.name} />
      </Fold>
      <Freeze id={id} name={body.name} />
    </>
  );
}

const wordsOf = (s: Seam) =>
  isMotion(s.hold) ? 'cut by keys' : s.hold === 0 ? 'cut' : s.closes ? `closes over ${s.closes} frames` : 'sewn';

function SeamCard({ body, id, of, seam }: { body: string; id: string; of: string; seam: Seam }) {
  const base = `/bodies/${body}/kind/cloth/seams/${id}`;
  const frame = useFrame(true);
  const sides = seam.of.map((s) => ('borders' in s ? s.borders.join(', ') : count(s.row.length, 'point')));
  return (
    <>
      <Note>
        {sides[0]} to {sides[1]}
      </Note>
      <NumberField path={`${base}/closes`} of={of} otherwise={0} />
      <NumberField path={`${base}/hold`} of={of} otherwise={1} />
      <NumberField path={`${base}/slack`} of={of} otherwise={0} />
      <NumberField path={`${base}/crease`} of={of} otherwise={0} />
      <NumberField path={`${base}/stiffness`} of={of} otherwise={1e5} />
      <Actions>
        <Button hint="It holds until the frame before, by keys" onClick={() => void cutAt(body, id, of, frame)}>
          Cut it at {frame}
        </Button>
      </Actions>
    </>
  );
}

/** Two borders that are in no seam yet, sewn. */
function NewSeam({ id, of }: { id: string; of: string }) {
  const { shape } = useShape(id);
  const used =
    useScene((s) =>
      Object.values(clothOf(s.bodies[id]!)?.seams ?? {}).flatMap((m) => m.of.flatMap((side) => ('borders' in side ? side.borders : []))),
    ) ?? [];
  const [first, setFirst] = useState('');
  const free = (shape?.head.borders ?? []).map((b) => b.name).filter((b) => !used.includes(b));
  if (free.length < 2) return null;
  const options = (not: string) => free.filter((b) => b !== not).map((b) => ({ value: b, label: b }));
  return (
    <>
      <Line label="Sew">
        <Choice
          label={`One side of a seam of ${of}`}
          value={free.includes(first) ? first : ''}
          placeholder="a border…"
          options={options('')}
          onChoose={setFirst}
        />
      </Line>
      {free.includes(first) && (
        <Line label="to">
          <Choice
            label={`The other side of a seam of ${of}`}
            value=""
            placeholder="a border…"
            options={options(first)}
            onChoose={(b) => void addSeam(id, [first, b]).then(() => setFirst(''))}
          />
        </Line>
      )}
    </>
  );
}

const FILLS = [
  { value: 'pressure', label: 'kept at a pressure' },
  { value: 'volume', label: 'an amount of gas' },
];

const small = (v: number, unit: string) =>
  `${Math.abs(v) >= 100 ? v.toFixed(0) : Math.abs(v) >= 1 ? v.toFixed(2) : v.toPrecision(3)} ${unit}`;

function ChamberCard({ body, id, of, chamber, alone }: { body: string; id: string; of: string; chamber: Chamber; alone: boolean }) {
  const base = `/bodies/${body}/kind/cloth/chambers/${id}`;
  const frame = useFrame(true);
  const by = 'pressure' in chamber.fill ? 'pressure' : 'volume';
  const told = useFilled(body);
  const own = told?.chambers.find((c) => c.chamber === id);
  const name = `${of} ${chamber.name}`;
  const turn = (to: string) => {
    const room = own ? Number(own.volume.toPrecision(3)) : 0.01;
    return edit(`${name} ${FILLS.find((f) => f.value === to)!.label}`, [
      { op: 'replace', path: `${base}/fill`, value: to === 'volume' ? { volume: room } : { pressure: 40 } },
    ]);
  };
  const close = (on: boolean) =>
    edit(`${name} ${on ? `closed from ${frame}` : 'kept as it is set'}`, [
      on ? { op: 'add', path: `${base}/closed`, value: frame } : { op: 'remove', path: `${base}/closed` },
    ]);
  return (
    <>
      {!alone && <TextField label="Name" path={`${base}/name`} taken={[]} />}
      <ChoiceField label="Fill" of={name} value={by} options={FILLS} onChoose={(v) => void turn(v)} />
      <NumberField path={`${base}/fill/${by}`} of={name} />
      {by === 'pressure' && <TooMuch body={body} pressure={chamber.fill as { pressure: Value }} />}
      <Line label="Sealed">
        <Toggle label={`${name} closed from this frame on`} on={chamber.closed != null} onTurn={(v) => void close(v)} />
      </Line>
      {chamber.closed != null && (
        <>
          <NumberField path={`${base}/closed`} of={name} whole />
          <NumberField path={`${base}/leak`} of={name} otherwise={0} />
          <NumberField path={`${base}/hole`} of={name} otherwise={0} />
        </>
      )}
      <Fold name="What fills it" closed>
        <NumberField path={`${base}/density`} of={name} otherwise={1.2} />
        <Actions>
          {[
            ['air', 1.2],
            ['warm air', 0.95],
            ['helium', 0.17],
          ].map(([word, density]) => (
            <Button key={word} look="quiet" onClick={() => void setValue(`${name} filled with ${word}`, `${base}/density`, density)}>
              {word}
            </Button>
          ))}
        </Actions>
        <NumberField path={`${base}/outside`} of={name} otherwise={101325} />
        <Actions>
          <Button look="quiet" onClick={() => void takeAway(body, 'chambers', id)}>
            Fill it no more
          </Button>
        </Actions>
      </Fold>
      {told && own && (
        <p className="px-4 py-1 text-[13px] text-faded" data-testid="filled">
          {told.computed ? `At ${frame}: ` : `Frame ${frame} is not computed. As it begins: `}
          <span className="num text-ink">{small(own.volume * 1000, 'l')}</span>
          {told.computed && own.pressure != null && (
            <>
              {' '}
              at <span className="num text-ink">{small(own.pressure, 'Pa')}</span>
            </>
          )}
          ; skin <span className="num text-ink">{small(told.skin, 'kg')}</span>, fill{' '}
          <span className="num text-ink">{small(own.fill, 'kg')}</span>
          {told.computed && Math.abs(own.lift) > 1e-3 && (
            <>
              , lifts <span className="num text-ink">{small(own.lift, 'N')}</span>
            </>
          )}
        </p>
      )}
    </>
  );
}

/** Says what a pressure would do that no such skin holds, before it is run: of a ball as wide as the body half of it times the
 * radius pulls along each thread. */
function TooMuch({ body, pressure }: { body: string; pressure: { pressure: Value } }) {
  const { shape } = useShape(body);
  const matter = useScene((s) => clothOf(s.bodies[body]!)?.matter);
  const said = pressure.pressure;
  const most = isMotion(said) ? Math.max(0, ...(said.keys ?? []).map((k) => k.value)) : said;
  if (!shape || !matter || !(most > 0)) return null;
  const size = [0, 1, 2].map((c) => {
    const own = shape.placed.filter((_, k) => k % 3 === c);
    return own.reduce((a, b) => Math.max(a, b), -Infinity) - own.reduce((a, b) => Math.min(a, b), Infinity);
  });
  const soft = Math.min(plain(matter.stretch_warp), plain(matter.stretch_weft));
  const strain = (most * Math.max(...size)) / 4 / Math.max(soft, 1e-9);
  if (strain < 1) return null;
  return (
    <Note tone="care">
      So much pressure draws such a skin to some {strain > 20 ? 'twenty times or more' : `${(1 + strain).toFixed(0)} times`} its length, and
      a run ends where it is ten. Lower it, or take a stiffer matter.
    </Note>
  );
}

/** The frame on screen as a mesh. */
function Freeze({ id, name }: { id: string; name: string }) {
  const frame = useFrame(true);
  const [smooth, setSmooth] = useState('1');
  return (
    <Fold name="Keep as mesh" note={`frame ${frame}`} closed>
      <Note>The frame on screen as a still mesh: sewn, with the textures of its panels.</Note>
      <ChoiceField
        label="Smoothed"
        of={name}
        value={smooth}
        options={['0', '1', '2', '3'].map((v) => ({ value: v, label: v === '0' ? 'not' : v === '1' ? 'once' : `${v} times` }))}
        onChoose={setSmooth}
      />
      <Actions>
        <Button onClick={() => void freeze(id, name, frame, Number(smooth), 'body')}>As a body</Button>
        <Button onClick={() => void freeze(id, name, frame, Number(smooth), 'collider')}>As a collider</Button>
      </Actions>
      <Actions>
        <span className="text-faded">As a file</span>
        {(['obj', 'glb', 'usda'] as const).map((as) => (
          <Button
            key={as}
            look="quiet"
            hint={`Its mesh as a file: ${{ obj: 'OBJ', glb: 'glTF', usda: 'USD' }[as]}`}
            onClick={() => void freeze(id, name, frame, Number(smooth), as)}
          >
            {{ obj: 'OBJ', glb: 'glTF', usda: 'USD' }[as]}
          </Button>
        ))}
      </Actions>
    </Fold>
  );
}
