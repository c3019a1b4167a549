import { useEffect, useState } from 'react';
import { cancel, isGoing, run, useScene } from '../store/scene';
import { Button } from '../ui/button';
import { NumberField } from '../ui/number-field';
import { Actions, Note, Section } from '../ui/section';
import type { Lane, Space } from '../api/http';
import { readSpace } from '../api/space';
import { laneWords, runWords, snagWords } from '../loom/words';
import { setView } from '../store/view';
import { clock } from '../stream/clock';

export function RunStep() {
  const { lanes, runs, project } = useScene();
  const going = runs.find(isGoing);
  const last = runs[0];
  const lacking = lanes.reduce((n, l) => n + l.counts.stale + l.counts.missing, 0);
  const frames = project?.scene.frames;
  return (
    <>
      <Section title="Frames">
        <NumberField path="/frames/first" of="" whole />
        <NumberField path="/frames/last" of="" whole />
        <NumberField path="/frames/rate" of="" />
        <NumberField path="/frames/substeps" of="" whole />
        <Note>
          {frames ? `${((frames.last - frames.first) / (frames.rate ?? 24)).toFixed(2)} s. ` : ''}Sub-steps change precision, not character: 10 at 24 frames a second is final.
        </Note>
      </Section>
      <Section title="Take">
        {lanes.map((l) => (
          <div key={l.body} className="px-4 py-1">
            <p className="flex justify-between gap-3">
              <span className="truncate">{l.name}</span>
              <span className="shrink-0 text-[12px] text-faded">{laneWords(l)}</span>
            </p>
            {l.fault && <p className="text-[12px] text-madder">{l.fault}</p>}
            {l.snags.length > 0 && <Snags lane={l} />}
            {[...new Set(l.stretches.flatMap((s) => s.reasons ?? []))].slice(0, 6).map((r) => (
              <p key={r} className="text-[12px] text-weld">{r}</p>
            ))}
          </div>
        ))}
        {last && <Note>{runWords(last)}</Note>}
        <Actions>
          {going ? (
            <Button onClick={() => void cancel()}>Cancel</Button>
          ) : (
            <Button disabled={lacking === 0} onClick={() => void run()}>{lacking === 0 ? 'All frames are true' : `Compute ${lacking} frames`}</Button>
          )}
        </Actions>
      </Section>
      <Kept after={last?.state} />
    </>
  );
}

const bytes = (n: number) =>
  n < 1e6 ? `${Math.ceil(n / 1e3)} kB` : n < 1e9 ? `${Math.round(n / 1e6)} MB` : `${Number((n / 1e9).toPrecision(3))} GB`;

/** How much is kept of all projects; asked again when a run has ended. */
function Kept({ after }: { after: string | undefined }) {
  const [space, setSpace] = useState<Space | null>(null);
  useEffect(() => {
    let here = true;
    readSpace().then((s) => here && setSpace(s), () => undefined);
    return () => void (here = false);
  }, [after]);
  if (!space) return null;
  const used = space.frames + space.checkpoints + space.meshes;
  return (
    <Section title="Kept">
      <p className="flex justify-between gap-3 px-4" data-testid="kept">
        <span>All projects</span>
        <span className="num shrink-0 text-faded">{bytes(used)} of {bytes(space.limit)}</span>
      </p>
      <div className="mx-4 mt-1 h-1 bg-line" role="meter" aria-label="Space used" aria-valuemin={0} aria-valuemax={space.limit} aria-valuenow={used}>
        <div className="h-1 bg-moss" style={{ width: `${Math.min(100, (100 * used) / space.limit)}%` }} />
      </div>
      <Note>{used > space.limit ? 'All of it is asked for by a scene, a take or an undo step. ' : ''}Beyond the limit, what none of them asks for is let go, the longest unused first.</Note>
    </Section>
  );
}

/** The worst frame of each kind of snag; a click goes there. */
function Snags({ lane }: { lane: Lane }) {
  const worst = new Map<string, { frame: number; snag: Lane['snags'][number]['snags'][number]; frames: number }>();
  for (const f of lane.snags) {
    for (const s of f.snags) {
      const before = worst.get(s.snag);
      const next = before && before.snag.count >= s.count ? before : { frame: f.frame, snag: s, frames: 0 };
      worst.set(s.snag, { ...next, frames: (before?.frames ?? 0) + 1 });
    }
  }
  const go = (frame: number, point: number) => {
    clock.stop();
    clock.go(frame);
    setView({ body: lane.body, grip: null, points: [point] });
  };
  return [...worst.values()].map(({ frame, snag, frames }) => (
    <button key={snag.snag} type="button" onClick={() => go(frame, snag.point)} className="block w-full rounded text-left text-[12px] text-madder hover:bg-woad-wash-soft">
      {snagWords(snag)} at frame {frame}
      {frames > 1 ? `, and in ${frames - 1} more` : ''}
    </button>
  ));
}
