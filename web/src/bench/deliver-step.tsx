import { useState } from 'react';
import { download, Problem, type Lane } from '../api/http';
import { say, useScene } from '../store/scene';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { Note, Section } from '../ui/section';

const FORMATS = [
  { format: 'usda', name: 'USD text', note: 'points sampled in time, with UVs' },
  { format: 'obj', name: 'OBJ sequence', note: 'a zip of one file a frame' },
  { format: 'npy', name: 'NumPy array', note: 'frames × points × 3, float32' },
] as const;

export function DeliverStep() {
  const lanes = useScene((s) => s.lanes);
  return (
    <>
      {lanes.map((l) => (
        <LaneFiles key={l.body} lane={l} />
      ))}
    </>
  );
}

function LaneFiles({ lane }: { lane: Lane }) {
  const project = useScene((s) => s.project);
  const [busy, setBusy] = useState<string | null>(null);
  const whole = lane.counts.stale + lane.counts.missing === 0;
  const get = async (format: string, query = '') => {
    setBusy(format);
    try {
      await download(`/projects/${project?.id}/bodies/${lane.body}/files/${format}${query}`);
    } catch (e) {
      if (e instanceof Problem) say({ title: e.title, detail: e.message, tone: 'fault' });
    } finally {
      setBusy(null);
    }
  };
  return (
    <Section title={lane.name}>
      {!whole && <Note tone="care">Not all frames are true for the scene as it is. Run it, then take the motion away.</Note>}
      {FORMATS.map(({ format, name, note }) => (
        <div key={format} className="flex items-center justify-between px-4 py-1.5">
          <span>
            {name}
            <span className="block text-[12px] text-faded">{note}</span>
          </span>
          <Button disabled={!whole || busy !== null} onClick={() => void get(format)}>{busy === format ? 'Writing…' : 'Save'}</Button>
        </div>
      ))}
      <div className="flex items-center justify-between px-4 py-1.5">
        <span>
          Still
          <span className="block text-[12px] text-faded">the frame on screen, as one OBJ</span>
        </span>
        <Button disabled={busy !== null} onClick={() => void get('still', `?first=${clock.frame}`)}>{busy === 'still' ? 'Writing…' : 'Save'}</Button>
      </div>
    </Section>
  );
}
