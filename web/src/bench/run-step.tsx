import { useState } from 'react';
import type { Lane, Run, Snag } from '../api/http';
import { snagRuns, type SnagRun } from '../loom/snags';
import { laneWords, runWords, snagRunWords, tookWords } from '../loom/words';
import { setHere, useHere } from '../state/here';
import { cancel, edit, putFirst, run } from '../state/project';
import { isGoing, now, useLanes, useProject, useRuns, useScene, useSpace, isStrands } from '../state/queries';
import { choosePoints } from '../state/choice';
import { clothOf, kindOf } from '../state/value';
import { setView } from '../state/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { Looping } from './looping';
import { Readouts } from './readouts';
import { Swatches } from './swatches';
import { Takes } from './takes';
import { useBody } from './use-body';

const NONE: Lane[] = [];

const FIXED = 'fixed';
const QUALITIES = [
  { value: 'draft', label: 'draft: within 15 %' },
  { value: 'fine', label: 'fine: within 8 %' },
  { value: 'final', label: 'final: within 3 %' },
  { value: FIXED, label: 'a fixed number of sub-steps' },
];
const FINER: Record<string, string> = { draft: 'fine', fine: 'final' };
type Frames = NonNullable<ReturnType<typeof now.scene>>['frames'];
const qualityOf = (frames: Frames) => (frames.substeps != null ? FIXED : (frames.quality ?? 'fine'));

function chooseQuality(to: string) {
  const frames = now.scene()?.frames;
  if (!frames || to === qualityOf(frames)) return;
  const gone = (key: 'substeps' | 'quality') => (frames[key] == null ? [] : [{ op: 'remove' as const, path: `/frames/${key}` }]);
  return to === FIXED
    ? edit('A fixed number of sub-steps', [...gone('quality'), { op: 'add', path: '/frames/substeps', value: 20 }])
    : edit(`Quality ${to}`, [...gone('substeps'), { op: 'add', path: '/frames/quality', value: to }]);
}

export function RunStep() {
  const frames = useScene((s) => s.frames);
  const rate = frames?.rate ?? 24;
  const zero = frames?.first ?? 0;
  return (
    <>
      <Section title="Frames">
        <NumberRow
          label="Frames"
          of=""
          whole
          frames={{ rate, zero }}
          parts={[
            { path: '/frames/first', name: 'first' },
            { path: '/frames/last', name: 'last' },
          ]}
        />
        <NumberField path="/frames/rate" of="" />
        <ChoiceField
          label="Quality"
          of=""
          value={frames ? qualityOf(frames) : 'fine'}
          options={QUALITIES}
          onChoose={(v) => void chooseQuality(v)}
        />
        {frames?.substeps != null && <NumberField path="/frames/substeps" of="" whole />}
        <Note>
          {frames ? `${((frames.last - frames.first) / rate).toFixed(2)} s. ` : ''}
          {frames?.substeps == null
            ? 'No thread is longer by more than that beyond what its matter gives: a frame takes as many sub-steps as it needs for it.'
            : 'Sub-steps change precision, not character; a frame takes as many wherever it is.'}
        </Note>
      </Section>
      <Settling />
      <Looping />
      <Take />
      <Swatches />
      <Takes />
      <Readouts />
      <Kept />
    </>
  );
}

/** Coming to rest before the first frame. */
function Settling() {
  const settle = useScene((s) => s.frames.settle);
  return (
    <Section title="Settle first">
      <Line label="Settles">
        <Toggle
          label="Bodies come to rest before the first frame"
          on={Boolean(settle)}
          onTurn={(v) =>
            void edit(v ? 'Settle first' : 'Begin as made', [
              v
                ? { op: 'add', path: '/frames/settle', value: { seconds: 6, calm: 0.005, air: false } }
                : { op: 'remove', path: '/frames/settle' },
            ])
          }
        />
      </Line>
      {settle ? (
        <>
          <NumberField path="/frames/settle/seconds" of="" label="At most" />
          <NumberField path="/frames/settle/calm" of="" />
          <Line label="In the air">
            <Toggle
              label="Fields act while bodies settle"
              on={settle.air ?? false}
              onTurn={(v) =>
                void edit(v ? 'Settle in the air that there is' : 'Settle under weight alone', [
                  { op: 'add', path: '/frames/settle/air', value: v },
                ])
              }
            />
          </Line>
        </>
      ) : (
        <Note>The first frame is as the bodies were made: what hangs begins to fall there.</Note>
      )}
    </Section>
  );
}

function Take() {
  const lanes = useLanes((l) => l) ?? NONE;
  const going = useRuns((all) => all.find(isGoing));
  const last = useRuns((all) => all[0]);
  const revision = useProject((p) => p.revision);
  const lacking = lanes.reduce((n, l) => n + l.counts.stale + l.counts.missing, 0);
  return (
    <Section title="Computed">
      {lanes.map((l) => (
        <div key={l.body} className="px-4 py-1">
          <p className="flex justify-between gap-3">
            <span className="truncate" title={l.name}>
              {l.name}
            </span>
            <span className="shrink-0 text-[12px] text-faded">{laneWords(l)}</span>
          </p>
          {l.fault && <p className="text-[12px] text-madder">{l.fault}</p>}
          {l.snags.length > 0 && <Snags lane={l} />}
          {l.took.length > 0 && <p className="text-[12px] text-faded">{tookWords(l)}</p>}
          {[...new Set(l.stretches.flatMap((s) => s.reasons ?? []))].slice(0, 6).map((r) => (
            <p key={r} className="text-[12px] text-weld">
              {r}
            </p>
          ))}
        </div>
      ))}
      {last && <Note>{runWords(last)}</Note>}
      {going && <Going run={going} old={revision !== undefined && going.revision !== revision} />}
      <Actions>
        {going ? (
          <Button onClick={() => void cancel()}>Cancel</Button>
        ) : (
          <Button disabled={lacking === 0} onClick={() => void run()}>
            {lacking === 0 ? 'All frames are up to date' : `Compute ${lacking} frames`}
          </Button>
        )}
      </Actions>
      {!going && lacking > 0 && <Part />}
      <Again />
    </Section>
  );
}

/** What a run is at that is no longer what one sees, or waits for others; with what to do. */
function Going({ run: going, old }: { run: Run; old: boolean }) {
  return (
    <>
      {old && <Old />}
      {going.waits && (
        <Actions>
          <Button hint={`It waits behind ${going.waits.behind.join(', ')}`} disabled={going.urgent} onClick={() => void putFirst(going.id)}>
            {going.urgent ? 'It is the next' : 'Put it first'}
          </Button>
        </Actions>
      )}
    </>
  );
}

/** That the run is at an older scene, and the way to run again. */
export function Old() {
  const from = useLanes((all) => Math.min(...all.flatMap((l) => l.stretches.filter((s) => s.state !== 'true').map((s) => s.first))));
  return (
    <>
      <Note tone="care">The run is at the scene as it was before the last edit.</Note>
      <Actions>
        <Button onClick={() => void run({ again: true })}>{Number.isFinite(from) ? `Run again from frame ${from}` : 'Run again'}</Button>
      </Actions>
    </>
  );
}

/** Runs a part: up to the frame on screen, or only the chosen body. */
function Part() {
  const body = useBody();
  const name = useScene((s) => (body ? s.bodies[body]?.name : undefined));
  const many = useScene((s) => Object.keys(s.bodies).length > 1);
  return (
    <Actions>
      <Button hint="All frames before it are computed too, where they are not up to date" onClick={() => void run({ until: clock.frame })}>
        Up to this frame
      </Button>
      {many && body && (
        <Button hint="With the bodies that it touches" onClick={() => void run({ bodies: [body] })}>
          Only {name}
        </Button>
      )}
    </Actions>
  );
}

function Again() {
  const on = useHere((h) => h.keepRunning);
  return (
    <Line label="After edits">
      <span className="flex items-center gap-2">
        <Toggle label="Run again by itself after each edit" on={on} onTurn={(keepRunning) => setHere({ keepRunning })} />
        <span className="text-[12px] text-faded">run again by itself</span>
      </span>
    </Line>
  );
}

const bytes = (n: number) =>
  n < 1e6 ? `${Math.ceil(n / 1e3)} kB` : n < 1e9 ? `${Math.round(n / 1e6)} MB` : `${Number((n / 1e9).toPrecision(3))} GB`;

/** How much is kept of all projects; asked again when a run has ended. */
function Kept() {
  const after = useRuns((all) => `${all[0]?.id}/${all[0]?.state}`);
  const space = useSpace(after);
  if (!space) return null;
  const used = space.frames + space.checkpoints + space.meshes;
  return (
    <Section title="Disk space">
      <p className="flex justify-between gap-3 px-4" data-testid="kept">
        <span>All projects</span>
        <span className="num shrink-0 text-faded">
          {bytes(used)} of {bytes(space.limit)}
        </span>
      </p>
      <div
        className="mx-4 mt-1 h-1 bg-line"
        role="meter"
        aria-label="Space used"
        aria-valuemin={0}
        aria-valuemax={space.limit}
        aria-valuenow={used}
      >
        <div className="h-1 bg-moss" style={{ width: `${Math.min(100, (100 * used) / space.limit)}%` }} />
      </div>
      <Note>
        {used > space.limit ? 'All of it is asked for by a scene, a take or an undo step. ' : ''}Beyond the limit, what none of them asks
        for is let go, the longest unused first.
      </Note>
    </Section>
  );
}

/** Runs of snags that are shown before one asks for the rest. */
const SHOWN = 4;

/** What is wrong, run by run, the worst first; a click goes to its worst frame. What would cure it stands beside it. */
function Snags({ lane }: { lane: Lane }) {
  const [all, setAll] = useState(false);
  const runs = snagRuns(lane);
  return (
    <>
      {(all ? runs : runs.slice(0, SHOWN)).map((r) => (
        <SnagLine key={`${r.worst.snag} ${r.first} ${JSON.stringify(r.worst.with)}`} run={r} />
      ))}
      {runs.length > SHOWN && (
        <Button look="quiet" onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${runs.length - SHOWN} more`}
        </Button>
      )}
    </>
  );
}

function SnagLine({ run: r }: { run: SnagRun }) {
  const [open, setOpen] = useState(false);
  const { body, worst: snag } = r;
  const cures = curesOf(body, snag);
  const go = () => {
    clock.stop();
    clock.go(r.at);
    setView({ body, grip: null });
    choosePoints([snag.point]);
  };
  return (
    <div className="text-[12px]">
      <span className="flex items-start gap-2">
        <button
          type="button"
          title={`Go to its worst, at frame ${r.at}`}
          onClick={go}
          className={`min-w-0 flex-1 rounded text-left hover:bg-woad-wash-soft ${r.large ? 'text-madder' : 'text-weld'}`}
        >
          {snagRunWords(r, isStrands(body))}
        </button>
        <Button look="quiet" aria-expanded={open} aria-label={`What helps: ${snag.snag}`} onClick={() => setOpen(!open)}>
          what helps
        </Button>
      </span>
      {open && (
        <ul className="mt-0.5 mb-1 border-l-2 border-line pl-2 text-faded">
          {cures.map((c) => (
            <li key={c.words} className="py-0.5">
              {c.words}
              {c.act && (
                <Button look="quiet" onClick={c.act}>
                  {c.label}
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

type Cure = { words: string; label?: string; act?: () => void };

/** What cures a snag, the cheapest first. */
function curesOf(key: string, snag: Snag): Cure[] {
  const scene = now.scene();
  const body = scene?.bodies[key];
  if (!scene || !body) return [];
  const steps = scene.frames.substeps;
  // Under twenty a stack of layers is known to fail: what is proposed is never less.
  const more = Math.min(200, Math.max(20, 2 * (steps ?? 10)));
  const quality = qualityOf(scene.frames);
  const better = FINER[quality];
  const finer: Cure =
    steps != null
      ? {
          words: 'More sub-steps make contact and stretch more precise. ',
          label: `${steps} to ${more}`,
          act: () => void edit('Sub-steps', [{ op: 'replace', path: '/frames/substeps', value: more }]),
        }
      : better
        ? { words: 'A better quality keeps threads shorter. ', label: `${quality} to ${better}`, act: () => void chooseQuality(better) }
        : { words: 'It took as many sub-steps as a frame may. ' };
  const strands = 'strands' in body.kind ? body.kind.strands : 'plants' in body.kind ? body.kind.plants : undefined;
  const [at, numbers] = strands ? [kindOf(body), strands] : ['cloth/matter', clothOf(body)?.matter];
  const twice = (keys: string[], words: string, label: string): Cure[] =>
    numbers
      ? [
          {
            words,
            label,
            act: () =>
              void edit(
                `${body.name} ${keys[0]!.replace(/_.*/, '')}`,
                keys.map((k) => ({
                  op: 'add',
                  path: `/bodies/${key}/kind/${at}/${k}`,
                  value: 2 * ((numbers as unknown as Record<string, number>)[k] ?? 1),
                })),
              ),
          },
        ]
      : [];
  const thicker = (words: string) =>
    strands
      ? twice(['around'], `More room kept about each ${'plants' in body.kind ? 'branch' : 'strand'}. `, 'twice as much')
      : twice(['thickness'], words, 'twice as thick');
  switch (snag.snag) {
    case 'crossing': {
      const itself = snag.with?.kind === 'itself';
      const on = itself ? body.touch?.itself : body.touch?.others;
      const turn: Cure = {
        words: `${body.name} is not kept from ${itself ? 'going through itself' : 'other bodies'}. `,
        label: 'Keep it apart',
        act: () =>
          void edit(`${body.name} touches ${itself ? 'itself' : 'others'}`, [
            { op: 'replace', path: `/bodies/${key}/touch/${itself ? 'itself' : 'others'}`, value: true },
          ]),
      };
      return [...(on ? [] : [turn]), finer, ...thicker('A thicker skin leaves more room between layers. ')];
    }
    case 'inside':
      return [
        finer,
        ...thicker('A thicker skin stays further away. '),
        { words: 'A collider that moves fast needs a form with some thickness: a box or a capsule rather than a thin mesh.' },
      ];
    case 'overstretch':
      return [
        finer,
        ...('plants' in body.kind
          ? []
          : strands
            ? twice(['modulus'], 'A fibre that stretches less. ', 'twice as stiff')
            : twice(['stretch_warp', 'stretch_weft'], 'A matter that stretches less. ', 'twice as stiff')),
        { words: 'Or less weight on few points: hold more of them.' },
      ];
    case 'leap':
      return [{ words: 'If the jump is meant, as at the start of a shot, nothing is wrong. Else move it over some frames.' }];
    default:
      return [finer, { words: 'A point that pops is often caught between two colliders, or in a fold of one.' }];
  }
}
