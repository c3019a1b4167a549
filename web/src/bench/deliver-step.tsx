import { useRef, useState } from 'react';
import { download } from '../api/download';
import type { Body, Lane } from '../api/http';
import { tell } from '../state/project';
import { openSheet } from '../pages/go';
import { openId, useLanes, useScene } from '../state/queries';
import { chunkAtHand } from '../stream/chunks';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { Cameras } from './cameras';
import { Finishing } from './finishing';
import { Proof } from './proof';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { readSum } from '../ui/sum';

const FORMATS = [
  { format: 'usda', name: 'USD text', note: 'points sampled in time, with UVs', many: 'one file, a mesh a body' },
  { format: 'usdc', name: 'Binary USD', note: 'the same, smaller and sooner read', many: 'one file, a mesh a body' },
  { format: 'glb', name: 'Binary glTF', note: 'a clip: plants as skins, pieces as nodes, shapes in turn', many: 'one file with one clip' },
  { format: 'gltf', name: 'glTF', note: 'the same, a text with its numbers beside it in a zip', many: 'a zip of a text and its numbers' },
  { format: 'obj', name: 'OBJ sequence', note: 'a zip of one file a frame', many: 'a zip, a folder a body' },
  { format: 'ply', name: 'PLY sequence', note: 'a zip of one binary file a frame', many: 'a zip, a folder a body' },
  { format: 'npy', name: 'NumPy array', note: 'frames × points × 3', many: 'an npz, an array a body' },
  { format: 'still', name: 'Still', note: 'the frame on screen, as OBJ', many: 'the frame on screen, a zip of OBJs' },
] as const;

/** What else a file holds of some bodies: the pictures that they are seen with, and which pieces are there. */
function more(format: (typeof FORMATS)[number]['format'], bodies: (Body | undefined)[]): string {
  const pictured = bodies.some((b) => b?.picture);
  const comes = bodies.some((b) => b && 'drift' in b.kind && b.kind.drift.source);
  const parts = [
    pictured && format.startsWith('usd') && 'in a zip with its pictures',
    pictured && (format === 'obj' || format === 'still') && 'a zip, with its pictures',
    comes && format === 'npy' && 'an npz of count, id and position where pieces come and go',
    comes && (format.startsWith('usd') || format === 'ply') && 'with the number of each piece that is there',
    comes && (format === 'obj' || format === 'still') && 'only the pieces that are there: OBJ can’t say which they are',
    comes && (format === 'glb' || format === 'gltf') && 'a piece that is not there has no size',
  ].filter(Boolean);
  return parts.map((p) => `; ${String(p)}`).join('');
}

const NONE: Lane[] = [];
const UNITS = [
  { value: 'metre', label: 'metres' },
  { value: 'centimetre', label: 'centimetres, in USD and PLY' },
];
const UPS = [
  { value: 'y', label: 'y' },
  { value: 'z', label: 'z, in USD and PLY' },
];
/** What places are told beside where that is no thing. */
const WORLD = 'world';

/** What places can be told beside: handles, colliders and figures, as they go. */
function useThings() {
  const scene = useScene((s) => s);
  const of = (kind: string, all: Record<string, { name: string }> | undefined) =>
    Object.entries(all ?? {}).map(([key, t]) => ({ value: `${kind}:${key}`, label: `${t.name}, as it goes` }));
  return scene ? [...of('handle', scene.handles), ...of('collider', scene.colliders), ...of('figure', scene.figures)] : [];
}

type Busy = { format: string; share: number };

export function DeliverStep() {
  const lanes = useLanes((l) => l) ?? NONE;
  const frames = useScene((s) => s.frames);
  const bodies = useScene((s) => s.bodies) ?? {};
  const [chosen, setChosen] = useState<string[] | null>(null);
  const [range, setRange] = useState<{ first: string; last: string } | null>(null);
  const [normals, setNormals] = useState(true);
  const [triangles, setTriangles] = useState(false);
  const [exact, setExact] = useState(false);
  const [hairs, setHairs] = useState(false);
  const [skins, setSkins] = useState(false);
  const [round, setRound] = useState(true);
  const [every, setEvery] = useState('1');
  const [velocities, setVelocities] = useState(false);
  const [pace, setPace] = useState<string | null>(null);
  const [beside, setBeside] = useState(WORLD);
  const [unit, setUnit] = useState('metre');
  const [up, setUp] = useState('y');
  const [busy, setBusy] = useState<Busy | null>(null);
  const ending = useRef<AbortController | null>(null);
  const before = useRef(range);
  // Escape leaves a field as it was when it was gone to.
  const typed = { onBegin: () => (before.current = range), onBack: () => setRange(before.current) };
  const beforeEvery = useRef(every);
  const typedEvery = { onBegin: () => (beforeEvery.current = every), onBack: () => setEvery(beforeEvery.current) };
  const beforePace = useRef(pace);
  const typedPace = { onBegin: () => (beforePace.current = pace), onBack: () => setPace(beforePace.current) };
  const things = useThings();
  if (!frames) return null;
  const haired = Object.values(bodies).some((b) => 'strands' in b.kind && b.kind.strands.hairs);
  const planted = Object.values(bodies).some((b) => 'plants' in b.kind);
  const taken = lanes.filter((l) => chosen?.includes(l.body) ?? true);
  const rate = frames.rate ?? 24;
  const number = (text: string | undefined, otherwise: number) => {
    if (text === undefined) return otherwise;
    const read = readSum(text, { unit: '', frames: { rate, zero: frames.first } });
    return 'value' in read && Number.isInteger(read.value) ? read.value : NaN;
  };
  const looped = round ? frames.loop : null;
  const [first, last] = looped
    ? [looped.from - (looped.blend ?? 0), looped.from + looped.length - 1]
    : [number(range?.first, frames.first), number(range?.last, frames.last)];
  const paced = pace === null ? rate : Number(pace);
  const goes = Number.isFinite(paced) && paced >= 0.1 && paced <= 1000;
  const step = looped || paced !== rate ? 1 : Number(every);
  const steps = Number.isInteger(step) && step >= 1;
  const fits = goes && first >= frames.first && last <= frames.last && first <= last && steps;
  const isTrue = (l: Lane, a: number, b: number) => l.stretches.every((s) => s.state === 'true' || s.last < a || s.first > b);
  const whole = fits && taken.length > 0 && taken.every((l) => isTrue(l, first, last));
  const untrue = fits ? taken.filter((l) => !isTrue(l, first, last)).map((l) => l.name) : [];

  const save = async (format: string) => {
    const query = new URLSearchParams({ normals: String(normals), triangles: String(triangles), exact: String(exact) });
    if (haired && hairs) query.set('hairs', 'true');
    if (Object.values(bodies).some((b) => b.finish && b.finish.on !== false)) query.set('finished', 'true');
    if (planted && skins) query.set('skins', 'true');
    if (step > 1 && format !== 'still') query.set('every', String(step));
    if (velocities) query.set('velocities', 'true');
    if (paced !== rate && format !== 'still') query.set('rate', String(paced));
    if (beside !== WORLD && things.some((t) => t.value === beside)) query.set('beside', beside);
    query.set('unit', unit);
    query.set('up', up);
    if (taken.length < lanes.length) query.set('bodies', taken.map((l) => l.body).join(','));
    query.set('first', String(format === 'still' ? clock.frame : first));
    if (looped && format !== 'still') query.set('loop', 'true');
    else if (format !== 'still') query.set('last', String(last));
    const abort = new AbortController();
    ending.current = abort;
    setBusy({ format, share: 0 });
    try {
      await download(`/projects/${openId()}/files/${format}?${query}`, abort.signal, (share) => setBusy({ format, share }));
    } catch (e) {
      tell(e);
    } finally {
      setBusy(null);
    }
  };

  return (
    <>
      <Finishing />
      <Cameras />
      <Section title="What goes out">
        {lanes.length > 1 &&
          lanes.map((l) => (
            <label key={l.body} className="flex h-7 items-center gap-2.5 px-4">
              <input
                type="checkbox"
                className="accent-woad"
                checked={chosen?.includes(l.body) ?? true}
                onChange={(e) => {
                  const all = chosen ?? lanes.map((x) => x.body);
                  setChosen(e.target.checked ? [...all, l.body] : all.filter((b) => b !== l.body));
                }}
              />
              <span className="truncate" title={l.name}>
                {l.name}
              </span>
              <span className="ml-auto shrink-0 text-[12px] text-faded">
                {isTrue(l, first, last) ? 'up to date' : 'not all up to date'}
              </span>
            </label>
          ))}
        {frames.loop && (
          <SwitchWithWords label="Loop" turns="The loop’s frames, blended" on={round} onTurn={setRound}>
            {round ? `${frames.loop.length} frames from ${frames.loop.from}, blended as they play` : 'a stretch of frames'}
          </SwitchWithWords>
        )}
        {!looped && (
          <Line label="Frames">
            <span className="flex items-center gap-1.5">
              <FrameBox
                {...typed}
                label="First frame to hand over"
                value={range?.first ?? String(frames.first)}
                onType={(v) => setRange({ first: v, last: range?.last ?? String(frames.last) })}
              />
              <span className="text-faded">to</span>
              <FrameBox
                {...typed}
                label="Last frame to hand over"
                value={range?.last ?? String(frames.last)}
                onType={(v) => setRange({ last: v, first: range?.first ?? String(frames.first) })}
              />
              {range && (
                <Button look="quiet" onClick={() => setRange(null)}>
                  all
                </Button>
              )}
            </span>
          </Line>
        )}
        <Line label="A second">
          <span className="flex items-center gap-1.5">
            <FrameBox label="Frames a second to hand over" value={pace ?? String(rate)} onType={setPace} {...typedPace} />
            <span className="text-[12px] text-faded">
              {!goes ? 'no rate' : paced === rate ? 'as computed' : 'between what is computed'}
            </span>
            {pace !== null && (
              <Button look="quiet" onClick={() => setPace(null)}>
                back
              </Button>
            )}
          </span>
        </Line>
        {!looped && paced === rate && (
          <Line label="Every">
            <span className="flex items-center gap-1.5">
              <FrameBox label="Every so many frames" value={every} onType={setEvery} {...typedEvery} />
              <span className="text-faded">
                {step === 1 ? 'frame of them' : steps ? `frames one: ${Math.floor((last - first) / step) + 1} of them` : ''}
              </span>
            </span>
          </Line>
        )}
        <Line label="Normals">
          <Toggle label="With normals" on={normals} onTurn={setNormals} />
        </Line>
        <SwitchWithWords label="Faces" turns="Cut faces into triangles" on={triangles} onTurn={setTriangles}>
          {triangles ? 'cut into triangles' : 'as they were made or brought in'}
        </SwitchWithWords>
        <SwitchWithWords label="Speeds" turns="How fast each point goes" on={velocities} onTurn={setVelocities}>
          {velocities ? 'beside each place, in USD and PLY' : 'left out'}
        </SwitchWithWords>
        {things.length > 0 && (
          <ChoiceField
            label="Beside"
            of=""
            value={things.some((t) => t.value === beside) ? beside : WORLD}
            options={[{ value: WORLD, label: 'the world' }, ...things]}
            onChoose={setBeside}
          />
        )}
        <ChoiceField label="Lengths" of="" value={unit} options={UNITS} onChoose={setUnit} />
        <ChoiceField label="Up" of="" value={up} options={UPS} onChoose={setUp} />
        <SwitchWithWords label="Places" turns="Exact places" on={exact} onTurn={setExact}>
          {exact ? 'exact, however far out' : 'in single precision'}
        </SwitchWithWords>
        {haired && (
          <SwitchWithWords label="Strands" turns="Hairs in place of strands" on={hairs} onTurn={setHairs}>
            {hairs ? 'the hairs between them' : 'as they are computed'}
          </SwitchWithWords>
        )}
        {planted && (
          <SwitchWithWords label="Plants" turns="Plants as meshes" on={skins} onTurn={setSkins}>
            {skins ? 'as meshes' : 'as curves; in glTF as skins'}
          </SwitchWithWords>
        )}
        {!fits && (
          <Note tone="care">
            {!goes
              ? 'Frames a second are from 0.1 to 1,000.'
              : steps
                ? `The scene has frames ${frames.first} to ${frames.last}.`
                : 'Every so many frames is a whole number, 1 or more.'}
          </Note>
        )}
        {taken.length === 0 && <Note tone="care">No body is chosen.</Note>}
        {untrue.length > 0 && (
          <Note tone="care">Not all of these frames are up to date for {untrue.join(', ')}. Run the scene, then hand the motion over.</Note>
        )}
        <Precision lanes={taken} exact={exact} />
      </Section>
      <Section
        title="Formats"
        action={
          <span className="flex gap-2">
            <Button
              look="quiet"
              hint="The project on one sheet of paper: picture, materials, fields, costs and snags"
              onClick={() => void openSheet(openId())}
            >
              Sheet
            </Button>
            <Button
              look="quiet"
              hint="What is in the files, in which units, and how they go back into what they came from: for whoever comes next"
              disabled={!whole || busy !== null}
              onClick={() => void save('note')}
            >
              A note with them
            </Button>
          </span>
        }
      >
        {FORMATS.map(({ format, name, note, many }) => {
          const mine = busy?.format === format;
          const can = format === 'still' ? taken.length > 0 && taken.every((l) => isTrue(l, clock.frame, clock.frame)) : whole;
          return (
            <div key={format} className="flex items-center justify-between gap-3 px-4 py-1.5">
              <span className="min-w-0">
                {name}
                <span className="block text-[12px] text-faded">
                  {taken.length > 1 ? many : note}
                  {more(
                    format,
                    taken.map((l) => bodies[l.body]),
                  )}
                </span>
                {mine && (
                  <span
                    role="progressbar"
                    aria-label={`${name} is being written`}
                    aria-valuemin={0}
                    aria-valuemax={100}
                    aria-valuenow={Math.round(busy.share * 100)}
                    className="mt-1 block h-1 w-32 bg-line"
                  >
                    <span className="block h-1 bg-moss" style={{ width: `${100 * busy.share}%` }} />
                  </span>
                )}
              </span>
              {mine ? (
                <Button onClick={() => ending.current?.abort()}>Cancel</Button>
              ) : (
                <Button aria-label={`Save ${name}`} disabled={!can || busy !== null} onClick={() => void save(format)}>
                  Save
                </Button>
              )}
            </div>
          );
        })}
      </Section>
      <Proof />
    </>
  );
}

function FrameBox({
  label,
  value,
  onType,
  onBegin,
  onBack,
}: {
  label: string;
  value: string;
  onType: (v: string) => void;
  onBegin: () => void;
  onBack: () => void;
}) {
  return (
    <input
      aria-label={label}
      data-typing="yes"
      className="num h-6 w-16 rounded-[5px] border border-line-strong bg-field px-1.5"
      value={value}
      onFocus={onBegin}
      onChange={(e) => onType(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Escape') onBack();
        if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
      }}
    />
  );
}

/** What single precision loses of so many metres at most, metres. */
const rounding = (far: number) => far * 2 ** -24;

/** A switch, and what it means as it stands. */
function SwitchWithWords(props: { label: string; turns: string; on: boolean; onTurn: (on: boolean) => void; children: string }) {
  return (
    <Line label={props.label}>
      <span className="flex items-center gap-2">
        <Toggle label={props.turns} on={props.on} onTurn={props.onTurn} />
        <span className="text-[12px] text-faded">{props.children}</span>
      </span>
    </Line>
  );
}

/** How precise the kept frames are, and what a file loses of them far from the world's origin. */
function Precision({ lanes, exact }: { lanes: Lane[]; exact: boolean }) {
  const kept = lanes
    .flatMap((l) => l.stretches.flatMap((s) => (s.chunk != null ? [chunkAtHand(s.chunk)?.position] : [])))
    .filter((c) => c !== undefined);
  const step = Math.max(0, ...kept.map((c) => c.step));
  const off = rounding(Math.max(0, ...kept.flatMap((c) => c.origin.map(Math.abs))));
  return (
    <Actions>
      {off > 1e-5 && !exact && (
        <Note tone="care">
          So far from the world’s origin single precision is off by up to {Number((1000 * off).toPrecision(2))} mm. Exact places keep it.
        </Note>
      )}
      <p className="text-[12px] text-faded">
        {step > 0 ? `Kept frames are precise to ${Number((step * 500).toPrecision(2))} mm. ` : ''}For the last bit,{' '}
        <code className="num">nematon bake</code> writes what was computed, exactly.
      </p>
    </Actions>
  );
}
