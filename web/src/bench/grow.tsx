/** Strands: what they grow on and how, what they are made of, what ties them, what is between them, and what others meet of them. */
import { useRef } from 'react';
import type { Body } from '../api/http';
import { bringInGuides } from '../state/maps';
import { edit, setValue } from '../state/project';
import { useScene } from '../state/queries';
import { setView, useView, type StrandsAs } from '../state/view';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { ChoiceField, SwitchField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Fold, Line, Note } from '../ui/section';
import { count } from '../ui/sum';
import { combChosen } from './brush';
import { Fibre } from './fibre';
import { Outlet } from './outlet';

export type Strands = Extract<Body['kind'], { strands: unknown }>['strands'];

const EVENLY = '·';
const NONE: Record<string, { name: string }> = {};
/** As they are when they are added. */
const CLUMPS = { count: 12, stiffness: 0.5, from: 0.2, wide: 0.4 };
const HAIRS = { count: 5000, clump: 0.25, shorter: 0.3, stray: 0.002 };
const SEEN: { value: StrandsAs; label: string }[] = [
  { value: 'hairs', label: 'hairs' },
  { value: 'still', label: 'hairs where nothing moves' },
  { value: 'strands', label: 'strands alone' },
  { value: 'few', label: 'every fourth strand' },
];

export function GrowRows({ id, of, own }: { id: string; of: string; own: Strands }) {
  const path = `/bodies/${id}/kind/strands`;
  const maps = useScene((s) => s.bodies[id]?.maps) ?? NONE;
  const patch = own.from === undefined || own.from === 'space';
  const row = (key: string) => <NumberField path={`${path}/${key}`} of={of} />;
  const whole = (key: string) => <NumberField path={`${path}/${key}`} of={of} whole />;
  return (
    <>
      <Outlet label="Grow on" path={`${path}/from`} of={of} from={own.from} space="a patch of its own" said="grow on" cloth />
      {!patch && !own.curves && !(typeof own.from === 'object' && 'points' in own.from) && (
        <SwitchField label="Inside" path={`${path}/inside`} of={of} says={['all through it', 'on its surface']} />
      )}
      <Curves path={`${path}/curves`} of={of} own={own} />
      {patch && !own.curves && (
        <NumberRow label="Patch, m" of={of} parts={['x', 'z'].map((name, k) => ({ path: `${path}/size/${k}`, name, otherwise: 0.3 }))} />
      )}
      {!own.curves && (own.spread != null || Object.keys(maps).length > 0) && (
        <ChoiceField
          label="Spread"
          of={of}
          value={own.spread ?? EVENLY}
          options={[
            { value: EVENLY, label: 'all over it alike' },
            ...Object.entries(maps).map(([value, m]) => ({ value, label: `by the map ${m.name}` })),
          ]}
          onChoose={(v) =>
            void edit(v === EVENLY ? `${of} spread alike` : `${of} spread by ${maps[v]?.name}`, [
              v === EVENLY ? { op: 'remove', path: `${path}/spread` } : { op: 'add', path: `${path}/spread`, value: v },
            ])
          }
        />
      )}
      {!own.curves && whole('count')}
      {whole('points')}
      {!own.curves && row('length')}
      {!own.curves && row('variation')}
      <Fold name="Shape at rest" note={own.combed?.length ? 'combed' : ''}>
        {!own.curves && (
          <>
            <NumberRow label="Lean" of={of} parts={['x', 'y', 'z'].map((name, k) => ({ path: `${path}/lean/${k}`, name, otherwise: 0 }))} />
            {row('bow')}
            {row('windings')}
            {(own.windings ?? 0) > 0 && row('winding_radius')}
            {whole('seed')}
          </>
        )}
        <Actions>
          <Button hint="Lays, parts, lengthens and cuts them by strokes in the view, as they are at the first frame" onClick={combChosen}>
            Comb
          </Button>
          {(own.combed?.length ?? 0) > 0 && (
            <Button
              hint="Back to how they grow"
              onClick={() => void edit(`${of} no more combed`, [{ op: 'remove', path: `${path}/combed` }])}
            >
              Take the combing out
            </Button>
          )}
        </Actions>
      </Fold>
      <Fibre id={id} of={of} own={own} />
      <Clumps path={`${path}/clumps`} of={of} own={own} />
      <Hairs path={`${path}/hairs`} of={of} own={own} />
      <Fold name="Roots, air and contact" closed>
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
        {row('drag')}
        {row('along')}
        {row('twist')}
        {row('around')}
      </Fold>
    </>
  );
}

/** Shapes that come from a file. */
function Curves({ path, of, own }: { path: string; of: string; own: Strands }) {
  const input = useRef<HTMLInputElement>(null);
  const bring = async (file: File) => {
    const found = await bringInGuides(file);
    if (found) await edit(`${of} from the curves of ${file.name}`, [{ op: 'add', path, value: { blob: found.blob } }]);
  };
  return (
    <Line label="Curves">
      <span className="flex items-center gap-1.5">
        <Button
          look="quiet"
          hint="OBJ with lines, or USD as text: each curve a strand, from its root on"
          onClick={() => input.current?.click()}
        >
          {own.curves ? 'other curves…' : 'bring in…'}
        </Button>
        {own.curves && (
          <Button
            look="quiet"
            aria-label={`${of} grow again`}
            hint="They grow by numbers again"
            onClick={() => void edit(`${of} grow by numbers`, [{ op: 'remove', path }])}
          >
            let go
          </Button>
        )}
        <FileInput ref={input} label={`Curves for ${of}`} read="curves" onFile={(file) => void bring(file)} />
      </span>
    </Line>
  );
}

/** Strands tied together. */
function Clumps({ path, of, own }: { path: string; of: string; own: Strands }) {
  const { clumps } = own;
  return (
    <Fold name="Clumps" note={clumps ? count(clumps.count, 'clump') : 'none'} closed>
      {clumps ? (
        <>
          <NumberField path={`${path}/count`} of={`${of} clumps`} whole />
          <NumberField path={`${path}/stiffness`} of={`${of} clumps`} />
          <NumberField path={`${path}/from`} of={`${of} clumps`} otherwise={0} />
          <NumberField path={`${path}/wide`} of={`${of} clumps`} otherwise={1} />
          <Actions>
            <Button onClick={() => void edit(`${of} tied no more`, [{ op: 'remove', path }])}>Untie</Button>
          </Actions>
        </>
      ) : (
        <Actions>
          <Button
            hint="Each strand by a spring to the middle of its clump"
            onClick={() => void edit(`${of} tied in clumps`, [{ op: 'add', path, value: CLUMPS }])}
          >
            Tie in clumps
          </Button>
        </Actions>
      )}
    </Fold>
  );
}

/** What is seen and delivered between strands. */
function Hairs({ path, of, own }: { path: string; of: string; own: Strands }) {
  const { hairs } = own;
  const as = useView((v) => v.strandsAs);
  const row = (key: string, otherwise?: number) => (
    <NumberField path={`${path}/${key}`} of={`${of} hairs`} {...(otherwise === undefined ? {} : { otherwise })} />
  );
  return (
    <Fold name="Hairs between" note={hairs ? count(hairs.count, 'hair') : 'none'}>
      {hairs ? (
        <>
          <NumberField path={`${path}/count`} of={`${of} hairs`} whole />
          {row('clump', 0)}
          {row('shorter', 0)}
          {row('stray', 0)}
          {row('windings', 0)}
          {(hairs.windings ?? 0) > 0 && row('winding_radius')}
          {row('parting')}
          {row('diameter')}
          {row('taper')}
          <ChoiceField
            label="Shown"
            of={`${of} hairs`}
            value={as}
            options={SEEN}
            onChoose={(v) => setView({ strandsAs: v as StrandsAs })}
          />
          <Note>They are seen and delivered; what is computed are the strands.</Note>
          <Actions>
            <Button onClick={() => void edit(`${of} without hairs between`, [{ op: 'remove', path }])}>Without hairs</Button>
          </Actions>
        </>
      ) : (
        <Actions>
          <Button
            hint="Many more between the strands, that go where those go"
            onClick={() => void edit(`Hairs between ${of}`, [{ op: 'add', path, value: HAIRS }])}
          >
            Grow hairs between
          </Button>
        </Actions>
      )}
    </Fold>
  );
}
