/** Takes: kept, named, starred, compared, and brought back whole or by parts. */
import { useEffect, useState } from 'react';
import type { Take } from '../api/http';
import { choosePoints } from '../state/choice';
import { useFrame } from '../state/motion';
import { useScene } from '../state/queries';
import {
  bringBack,
  changeNote,
  changeTake,
  compare,
  keepTake,
  noteTake,
  removeTake,
  runTake,
  useBeside,
  useFilm,
  useTakes,
  type How,
  type Part,
} from '../state/takes';
import { setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { ChoiceField } from '../ui/choice-field';
import { Line, Note, Row, Section } from '../ui/section';
import { stage } from '../viewport/stage';
import { Menu } from './thing-tools';
import { useBody } from './use-body';

const HOWS: { value: How | 'no'; label: string }[] = [
  { value: 'no', label: 'not shown' },
  { value: 'over', label: 'over what is here' },
  { value: 'side', label: 'at its side' },
  { value: 'blink', label: 'in turn with what is here' },
  { value: 'apart', label: 'as how far apart' },
];
const PARTS: { part: Part; name: string }[] = [
  { part: 'whole', name: 'Bring all of it back' },
  { part: 'material', name: 'Bring its materials back' },
  { part: 'air', name: 'Bring its air back' },
  { part: 'contact', name: 'Bring its contact back' },
  { part: 'hold', name: 'Bring its grips and handles back' },
];

export function Takes() {
  const takes = useTakes();
  const [open, setOpen] = useState<number | null>(null);
  const order = takes.toSorted((a, b) => Number(b.starred) - Number(a.starred));
  return (
    <Section title="Takes" action={<Button onClick={() => void keepTake()}>Keep a take</Button>}>
      {takes.length === 0 && <Note>A take is the scene and its frames as they are now, to come back to and to compare with.</Note>}
      {order.map((t) => (
        <TakeRow key={t.id} take={t} open={open === t.id} onOpen={() => setOpen(open === t.id ? null : t.id)} />
      ))}
    </Section>
  );
}

/** Filled where it is starred. */
const Star = ({ on }: { on: boolean }) => (
  <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden>
    <path
      d="M7 1.200l1.700 3.700 4.100.500-3 2.800.800 4L7 10.200l-3.600 2 .800-4-3-2.800 4.100-.500z"
      fill={on ? 'var(--weld)' : 'none'}
      stroke="var(--weld)"
      strokeWidth="1.200"
    />
  </svg>
);

function TakeRow({ take, open, onOpen }: { take: Take; open: boolean; onOpen: () => void }) {
  const how = useBeside(({ on }) => (on?.take === take.id ? on.how : 'no'));
  return (
    <Row
      name={take.name}
      picture={<Film take={take} moves={open} />}
      note={how !== 'no' ? 'compared' : take.current ? 'as it is now' : ago(take.made)}
      open={open}
      onOpen={onOpen}
      tools={
        <>
          <button
            type="button"
            aria-pressed={take.starred}
            aria-label={`Star ${take.name}`}
            className="grid size-6 place-items-center rounded hover:bg-woad-wash"
            onClick={() => void changeTake(take.id, { starred: !take.starred })}
          >
            <Star on={take.starred} />
          </button>
          <Menu
            label={`More for ${take.name}`}
            items={[
              ...PARTS.map(({ part, name }) => ({ name, act: () => void bringBack(take, part) })),
              { name: 'Compute its frames', act: () => void runTake(take) },
              { name: 'Remove', act: () => void removeTake(take) },
            ]}
          />
        </>
      }
    >
      <Said
        key={`${take.id} ${take.name}`}
        label="Name"
        of={take.name}
        was={take.name}
        onSay={(name) => void changeTake(take.id, { name })}
      />
      <ChoiceField
        label="Compared"
        of={take.name}
        value={how}
        options={HOWS}
        onChoose={(v) => (v === 'no' ? compare(null) : compare(take.id, v as How))}
      />
      <Said
        key={`${take.id} ${take.note}`}
        label="Note"
        of={take.name}
        was={take.note}
        long
        onSay={(note) => void changeTake(take.id, { note })}
      />
      <Notes take={take} />
    </Row>
  );
}

/** Small pictures of it, that move while the pointer rests on them or its row is open. */
function Film({ take, moves }: { take: Take; moves: boolean }) {
  const film = useFilm(take.id);
  if (!film) return <span className="h-11 w-18 shrink-0 rounded border border-line" />;
  const still = Math.floor(film.count / 2);
  return (
    <span
      role="img"
      aria-label={`${take.name}, ${film.count} of its frames`}
      data-moves={moves ? 'yes' : undefined}
      className="film h-11 w-18 shrink-0 rounded border border-line"
      style={
        {
          backgroundImage: `url(${film.strip})`,
          backgroundPositionX: `${-72 * still}px`,
          '--film': `${-72 * film.count}px`,
          animationTimingFunction: `steps(${film.count})`,
          animationDuration: `${film.count * 140}ms`,
        } as React.CSSProperties
      }
    />
  );
}

/** For so many frames before and after its own a note of a point is read in the view, playing or not. */
const READ = 6;

/** What is said of points, at these points in the view. */
function useNotesInView(notes: Take['notes']) {
  useEffect(() => {
    let shown = '';
    const look = () => {
      const now = notes.filter((n) => n.body && n.point != null && Math.abs(n.frame - clock.frame) <= READ);
      const key = now.map((n) => n.id).join();
      if (key === shown) return;
      shown = key;
      stage.labels.set(
        'notes',
        now.map((n) => ({ text: n.words, body: n.body!, point: n.point!, pin: true })),
      );
      stage.draw(false);
    };
    look();
    const off = clock.subscribe(look);
    return () => {
      off();
      stage.labels.set('notes', []);
      stage.draw(false);
    };
  }, [notes]);
}

/** What is said of its frames, each a way to what it is said of; and of the frame on screen what is typed. */
function Notes({ take }: { take: Take }) {
  const scene = useScene((s) => s.bodies) ?? {};
  useNotesInView(take.notes);
  const frame = useFrame(true);
  const [body, points] = [useBody(), useView((v) => v.points)];
  const [text, setText] = useState('');
  // Of one point it is said of that; of a body that is chosen it is not, for one mostly is.
  const of = body && points.length === 1 && scene[body] ? { body, point: points[0]! } : { body: null, point: null };
  const go = (n: Take['notes'][number]) => {
    clock.halt(Math.min(clock.last, Math.max(clock.first, n.frame)));
    if (!n.body || !scene[n.body]) return;
    setView({ body: n.body, grip: null });
    choosePoints(n.point == null ? [] : [n.point]);
  };
  const add = () => {
    if (text.trim() === '') return;
    void noteTake(take.id, { frame, ...of }, text.trim());
    setText('');
  };
  const where = of.body ? `frame ${frame}, at the chosen point of ${scene[of.body]!.name}` : `frame ${frame}`;
  return (
    <>
      {take.notes.map((n) => (
        <div key={n.id} className="mr-4 ml-9 grid grid-cols-[88px_minmax(0,1fr)_24px] items-center gap-2 py-0.5">
          <Button
            className="!justify-start !px-1.5"
            hint={n.body ? `Goes there, to ${scene[n.body]?.name ?? 'a body that is gone'}` : 'Goes there'}
            onClick={() => go(n)}
          >
            Frame {n.frame}
          </Button>
          <Words
            key={n.words}
            label={`${take.name}, note at frame ${n.frame}`}
            was={n.words}
            onSay={(w) => void changeNote(take.id, n.id, w)}
          />
          <Button
            className="!px-1.5"
            aria-label={`Remove the note at frame ${n.frame}`}
            hint="Removes it"
            onClick={() => void changeNote(take.id, n.id, '')}
          >
            ×
          </Button>
        </div>
      ))}
      <Line label="At a frame">
        <input
          aria-label={`${take.name}, note at this frame`}
          data-typing="yes"
          className="h-7 w-full rounded-md border border-line-strong bg-raised px-2"
          maxLength={400}
          placeholder={`What one sees at ${where}`}
          title={`Enter keeps it, at ${where}`}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') add();
            if (e.key !== 'Escape') return;
            setText('');
            e.currentTarget.blur();
          }}
        />
      </Line>
    </>
  );
}

/** What a field of words has: they are kept when one leaves it, Escape puts them back, and empty they are as they were unless they may be. */
function useWords(was: string, mayBeEmpty: boolean, entersMore: boolean, onSay: (to: string) => void) {
  const [text, setText] = useState(was);
  return {
    value: text,
    // Words have spaces, which are no key of the scene here.
    'data-typing': 'yes',
    onChange: (e: { target: { value: string } }) => setText(e.target.value),
    onBlur: () => {
      const to = text.trim();
      if (to === was) return;
      if (to === '' && !mayBeEmpty) setText(was);
      else onSay(to);
    },
    onKeyDown: (e: React.KeyboardEvent<HTMLElement>) => {
      e.stopPropagation();
      if (e.key === 'Enter' && !entersMore) e.currentTarget.blur();
      if (e.key !== 'Escape') return;
      setText(was);
      const here = e.currentTarget;
      setTimeout(() => here.blur());
    },
  };
}

function Words({ label, was, onSay }: { label: string; was: string; onSay: (to: string) => void }) {
  const words = useWords(was, false, false, onSay);
  return (
    <input
      aria-label={label}
      className="h-7 min-w-0 rounded-md border border-transparent bg-transparent px-1.5 hover:border-line-strong focus:border-line-strong"
      maxLength={400}
      title={words.value}
      {...words}
    />
  );
}

function Said({ label, of, was, long, onSay }: { label: string; of: string; was: string; long?: boolean; onSay: (to: string) => void }) {
  const words = useWords(was, !!long, !!long, onSay);
  const shared = { ...words, 'aria-label': `${of} ${label}`, className: 'w-full rounded-md border border-line-strong bg-raised px-2 py-1' };
  return (
    <Line label={label}>
      {long ? <textarea rows={2} maxLength={4000} placeholder="What one sees in it" {...shared} /> : <input maxLength={80} {...shared} />}
    </Line>
  );
}

function ago(made: number): string {
  const minutes = Math.max(0, Math.round(Date.now() / 60_000 - made / 60));
  if (minutes < 1) return 'just now';
  if (minutes < 90) return `${minutes} min ago`;
  return minutes < 36 * 60 ? `${Math.round(minutes / 60)} h ago` : `${Math.round(minutes / 1440)} days ago`;
}
