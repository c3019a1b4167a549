/** A proof for whoever has to say yes: a clip of what the view shows, by the browser's own encoder, its frames as PNG, or a still at twice the size. */
import { Zip, ZipPassThrough } from 'fflate';
import { useRef, useState } from 'react';
import { say } from '../state/here';
import { now, openId, useScene } from '../state/queries';
import { readTakes, useBeside } from '../state/takes';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { PROOF_SHAPES, setView, useView } from '../state/view';
import type { Seen } from '../viewport/pictures';
import { stage } from '../viewport/stage';

const KINDS = ['video/webm;codecs=vp9', 'video/webm;codecs=vp8', 'video/webm'];
const kind = () => (typeof MediaRecorder === 'undefined' ? undefined : KINDS.find((k) => MediaRecorder.isTypeSupported(k)));

function save(blob: Blob, name: string) {
  const a = document.createElement('a');
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
}

/** What is written in a picture of a take, if what is shown is one. */
const words = (take: string | null, line: string, frame: number) => {
  const scene = now.scene();
  const day = new Date().toISOString().slice(0, 10);
  const seconds = ((frame - clock.first) / clock.rate).toFixed(2);
  const what = [scene?.name, take, `frame ${frame}`, `${seconds} s`, day].filter(Boolean).join(', ');
  return [what, line].filter(Boolean).join('. ');
};

/** The take that the scene is as it stands, and the one that is compared with it. */
async function takeShown(): Promise<string | null> {
  const takes = await readTakes().catch(() => []);
  const beside = useBeside.getState().on;
  const compared = beside?.project === openId() ? takes.find((t) => t.id === beside.take)?.name : undefined;
  const own = takes.find((t) => t.current && t.name !== compared)?.name;
  return [own, compared && `beside ${compared}`].filter(Boolean).join(' ') || null;
}

const LIGHTS = [
  { value: 'view', label: 'as the view' },
  { value: 'day', label: 'by day' },
  { value: 'dusk', label: 'at dusk' },
];

export function Proof() {
  const frames = useScene((s) => s.frames);
  const [told, setTold] = useState(true);
  const [from, setFrom] = useState('still');
  const [light, setLight] = useState('view');
  const shape = useView((v) => v.proofShape);
  const edges = useView((v) => v.edges);
  const cameras = useScene((s) => s.cameras) ?? {};
  const bodies = useScene((s) => s.bodies) ?? {};
  const [line, setLine] = useState('');
  const [done, setDone] = useState<number | null>(null);
  const ending = useRef(false);
  if (!frames) return null;
  const ways = [
    { value: 'still', label: 'as the view, still' },
    { value: 'round', label: 'as the view, once round' },
    ...Object.entries(bodies).map(([id, b]) => ({ value: `with:${id}`, label: `along with ${b.name}` })),
    ...Object.entries(cameras).map(([id, c]) => ({ value: `camera:${id}`, label: c.name })),
  ];
  const chosen = ways.some((w) => w.value === from) ? from : 'still';
  /** From where each frame is seen; what goes along begins where that is at the frame on screen. */
  const seen = (): ((share: number) => Seen) => {
    const [how, id] = chosen.split(':') as [string, string | undefined];
    if (how === 'with' && id) {
      const since = stage.pictures.middleOf(id);
      return () => ({ with: id, since });
    }
    if (how === 'camera' && id) return () => ({ camera: id });
    return (share) => ({ round: how === 'round' ? 2 * Math.PI * share : 0 });
  };
  const dusk = () => (light === 'view' ? useView.getState().dusk : light === 'dusk');
  const name = (ending_: string) =>
    `${
      (now.scene()?.name ?? 'proof')
        .replace(/[^\p{L}\p{N} _-]+/gu, ' ')
        .trim()
        .slice(0, 80) || 'proof'
    }.${ending_}`;

  const clip = async () => {
    const mime = kind();
    if (!mime)
      return say({ title: 'No clip here', detail: 'This browser has no encoder for WebM. A still works everywhere.', tone: 'note' });
    ending.current = false;
    const back = clock.frame;
    clock.stop();
    const paper = document.createElement('canvas');
    [paper.width, paper.height] = stage.pictures.size(1);
    const stream = paper.captureStream(0);
    const track = stream.getVideoTracks()[0] as CanvasCaptureMediaStreamTrack;
    const recorder = new MediaRecorder(stream, { mimeType: mime, videoBitsPerSecond: 8e6 });
    const parts: Blob[] = [];
    recorder.ondataavailable = (e) => parts.push(e.data);
    const over = new Promise((r) => (recorder.onstop = r));
    recorder.start();
    const n = clock.last - clock.first + 1;
    const look = seen();
    const take = told ? await takeShown() : null;
    const beat = 1000 / clock.rate;
    let due = performance.now();
    try {
      for (let k = 0; k < n && !ending.current; k++) {
        const frame = clock.first + k;
        await stage.pictures.proof(paper, frame, look(k / n), told ? words(take, line, frame) : null, dusk());
        track.requestFrame();
        setDone((k + 1) / n);
        // The encoder goes by the clock on the wall: a frame that was late makes those after it wait.
        due = Math.max(due + beat, performance.now());
        await new Promise((r) => setTimeout(r, Math.max(0, due - performance.now())));
      }
    } finally {
      recorder.stop();
      await over;
      stage.pictures.done();
      clock.halt(back);
      setDone(null);
    }
    if (!ending.current) save(new Blob(parts, { type: 'video/webm' }), name('webm'));
  };

  /** Every frame as a PNG of its own, in a zip. */
  const each = async () => {
    ending.current = false;
    const back = clock.frame;
    clock.stop();
    const paper = document.createElement('canvas');
    [paper.width, paper.height] = stage.pictures.size(1);
    const parts: BlobPart[] = [];
    let fault: Error | null = null;
    const zip = new Zip((e, part) => (e ? (fault = e) : parts.push(part as BlobPart)));
    const n = clock.last - clock.first + 1;
    const look = seen();
    const take = told ? await takeShown() : null;
    try {
      for (let k = 0; k < n && !ending.current; k++) {
        const frame = clock.first + k;
        await stage.pictures.proof(paper, frame, look(k / n), told ? words(take, line, frame) : null, dusk());
        const blob = await new Promise<Blob | null>((r) => paper.toBlob(r, 'image/png'));
        if (!blob) throw new Error('A picture could not be made.');
        // A PNG is packed already.
        const entry = new ZipPassThrough(`${name(String(frame).padStart(4, '0'))}.png`);
        zip.add(entry);
        entry.push(new Uint8Array(await blob.arrayBuffer()), true);
        if (fault) throw fault;
        setDone((k + 1) / n);
      }
      zip.end();
      if (!ending.current) save(new Blob(parts, { type: 'application/zip' }), name('png.zip'));
    } catch (e) {
      say({ title: 'The frames can’t be saved', detail: (e as Error).message, tone: 'fault' });
    } finally {
      stage.pictures.done();
      clock.halt(back);
      setDone(null);
    }
  };

  const still = async () => {
    const paper = document.createElement('canvas');
    [paper.width, paper.height] = stage.pictures.size(2);
    const take = told ? await takeShown() : null;
    await stage.pictures.proof(paper, clock.frame, seen()(0), told ? words(take, line, clock.frame) : null, dusk());
    stage.pictures.done();
    const blob = await new Promise<Blob | null>((r) => paper.toBlob(r, 'image/png'));
    if (blob) save(blob, name('png'));
  };

  return (
    <Section title="Proof">
      <Line label="Written in">
        <span className="flex items-center gap-2">
          <Toggle label="Scene, take, frame, time and date in the picture" on={told} onTurn={setTold} />
          <span className="text-[12px] text-faded">scene, take, frame, time, date</span>
        </span>
      </Line>
      {told && (
        <Line label="And a line">
          <input
            aria-label="A line of text in the picture"
            data-typing="yes"
            className="h-6 w-full rounded-[5px] border border-line-strong bg-field px-1.5"
            maxLength={120}
            value={line}
            onChange={(e) => setLine(e.target.value)}
            onKeyDown={(e) => (e.key === 'Enter' || e.key === 'Escape') && e.currentTarget.blur()}
          />
        </Line>
      )}
      <ChoiceField label="Camera" of="Proof" value={chosen} options={ways} onChoose={setFrom} />
      <ChoiceField label="Light" of="Proof" value={light} options={LIGHTS} onChoose={setLight} />
      <ChoiceField
        label="Size"
        of="Proof"
        value={shape}
        options={[{ value: 'view', label: 'as the view' }, ...PROOF_SHAPES]}
        onChoose={(v) => setView({ proofShape: v })}
      />
      <Line label="Edges">
        <span className="flex items-center gap-2">
          <Toggle label="The picture’s edges in the view" on={edges} onTurn={(v) => setView({ edges: v })} />
          <span className="text-[12px] text-faded">{edges ? 'seen, with what is safe' : 'not seen'}</span>
        </span>
      </Line>
      <Actions>
        {done === null ? (
          <>
            <Button hint="All frames of the shot, as the view shows them, in WebM" onClick={() => void clip()}>
              Clip
            </Button>
            <Button hint="All frames of the shot, each as a PNG, in one zip" onClick={() => void each()}>
              PNGs
            </Button>
            <Button hint="The frame on screen at twice its size, as PNG" onClick={() => void still()}>
              Still at 2x
            </Button>
          </>
        ) : (
          <Button onClick={() => (ending.current = true)}>Cancel, {Math.round(100 * done)} %</Button>
        )}
      </Actions>
      <Note>A clip shows what the view shows: scenery, dusk, finishing. Frames that are not computed are the rest shape.</Note>
    </Section>
  );
}
