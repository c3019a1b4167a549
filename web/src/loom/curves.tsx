/** All that moves, and why; the ways of the chosen numbers as lines whose keys can be taken by hand. Long, because all that is done by hand on
 * them shares one drag and what it would come to. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { http, told, type Node, type Scene } from '../api/http';
import { setKey, way, wayOn, WAYS } from '../state/motion';
import { changeKeys, changed, countChosen, isChosen, movers, takeOut, type Chosen, type Mover } from '../state/keys';
import { useOpen, useScene, useSchema } from '../state/queries';
import { motionWords, type Key } from '../state/value';
import { setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { Choice } from '../ui/choice-field';
import { readSum, shownIn, showNumber } from '../ui/sum';
import { drawLines, Frame, handlesOf, keysOn, valueOf, type Held, type Line, type Range } from './curve-field';

const DYES = ['--woad', '--moss', '--plum', '--weld', '--rust', '--ink'];
/** Lines that are drawn at once; more are a tangle. */
const MOST = 200;
/** More lines than this are moved as they were drawn while they are panned, and drawn again after so many milliseconds of rest. */
const [MANY, RESTS] = [24, 120];
const NOTHING: never[] = [];

export function Curves() {
  const project = useOpen();
  const schema = useSchema();
  const scene = useScene((s) => s);
  const all = useMemo(() => (scene ? movers(scene, schema) : NOTHING), [scene, schema]);
  const wanted = useView((v) => v.lines);
  const benchWidth = useView((v) => v.benchWidth);
  // Where none is chosen those of the first thing are shown.
  const shown = useMemo(() => {
    const some = all.filter((m) => wanted.includes(m.path));
    return (some.length > 0 ? some : all.filter((m) => m.thing === all[0]?.thing)).slice(0, MOST);
  }, [all, wanted]);
  const [chosen, setChosen] = useState<Chosen>({});
  useEffect(() => setChosen({}), [project]);
  // A key that is no longer there is not chosen.
  const here = useMemo(() => only(chosen, shown), [chosen, shown]);
  const colour = (m: Mover) => DYES[all.indexOf(m) % DYES.length]!;
  const turn = (m: Mover, alone: boolean) =>
    setView((v) => {
      const now = v.lines.some((p) => all.some((x) => x.path === p)) ? v.lines : shown.map((x) => x.path);
      const next = alone
        ? now.length === 1 && now[0] === m.path
          ? []
          : [m.path]
        : now.includes(m.path)
          ? now.filter((p) => p !== m.path)
          : [...now, m.path];
      return { lines: next };
    });
  return (
    <section
      aria-label="Curves"
      className="grid min-h-0 flex-1 border-b border-line-strong"
      style={{ gridTemplateColumns: `${106 + benchWidth}px minmax(0, 1fr)` }}
    >
      <div className="flex min-h-0 min-w-0 flex-col border-r border-line-strong">
        <Picked chosen={here} lines={shown} onChosen={setChosen} />
        <ul className="min-h-0 flex-1 overflow-y-auto pb-1" aria-label="What moves">
          {all.length === 0 && <li className="px-4 py-2 text-faded">Nothing moves yet. The thread at the end of a number lets it move.</li>}
          {all.map((m, k) => (
            <li key={m.path}>
              {(k === 0 || all[k - 1]!.thing !== m.thing) && (
                <p className="truncate px-4 pt-1.5 text-[12px] font-semibold text-faded">{m.of}</p>
              )}
              <button
                type="button"
                aria-pressed={shown.includes(m)}
                title={`${m.of}, ${m.named}: ${motionWords(m.motion)}. Press for this alone, with Shift beside the others`}
                className="flex h-6 w-full items-center gap-2 px-4 text-left hover:bg-woad-wash-soft"
                onClick={(e) => turn(m, !e.shiftKey)}
              >
                <svg width="18" height="8" aria-hidden className="shrink-0">
                  <path
                    d="M1 6c4-8 6 4 10-2s4 0 6-1"
                    fill="none"
                    stroke={shown.includes(m) ? `var(${colour(m)})` : 'var(--line-strong)'}
                    strokeWidth="1.800"
                    strokeLinecap="round"
                  />
                </svg>
                <span className={`shrink-0 ${shown.includes(m) ? '' : 'text-faded'}`}>{m.named}</span>
                <span className="ml-auto truncate pl-2 text-[12px] text-faded">{motionWords(m.motion)}</span>
              </button>
            </li>
          ))}
          <Riders scene={scene} />
        </ul>
      </div>
      <Field lines={shown} colour={colour} chosen={here} onChosen={setChosen} />
    </section>
  );
}

/** What moves because it stands on something. */
function Riders({ scene }: { scene: Scene | undefined }) {
  if (!scene) return null;
  const named = (kind: 'handles' | 'colliders' | 'figures' | 'bodies', id: string) => scene[kind]?.[id]?.name ?? id;
  const on = (n: Node | undefined) => {
    const p = n?.on;
    if (!p) return null;
    if ('handle' in p) return named('handles', p.handle);
    if ('collider' in p) return named('colliders', p.collider);
    if ('figure' in p) return named('figures', p.figure);
    return 'joint' in p ? `${p.joint.joint} of ${named('figures', p.joint.figure)}` : `a spot of ${named('figures', p.spot.figure)}`;
  };
  const rows = (['handles', 'colliders', 'figures', 'bodies'] as const).flatMap((kind) =>
    Object.entries(scene[kind] ?? {}).flatMap(([id, t]) => {
      const under = on((t as { place?: Node }).place);
      return under
        ? [
            {
              key: `${kind}/${id}`,
              name: (t as { name: string }).name,
              why: kind === 'bodies' ? `begins on ${under}` : `stands on ${under}`,
            },
          ]
        : [];
    }),
  );
  const grips = Object.values(scene.bodies).flatMap((b) =>
    Object.entries(b.grips ?? {}).flatMap(([id, g]) =>
      typeof g.to === 'object'
        ? [
            {
              key: `${b.name}/${id}`,
              name: `${b.name}, ${g.name}`,
              why: `held to ${'handle' in g.to ? named('handles', g.to.handle) : 'body' in g.to ? named('bodies', g.to.body) : named('figures', g.to.figure.figure)}`,
            },
          ]
        : [],
    ),
  );
  const clips = Object.entries(scene.figures ?? {}).map(([id, f]) => ({
    key: `clip ${id}`,
    name: f.name,
    why: f.clip ? `plays ${f.clip}` : 'plays its clip',
  }));
  return [...clips, ...rows, ...grips].map((r) => (
    <li key={r.key} className="flex h-6 items-center gap-2 px-4">
      <span className="max-w-[55%] truncate text-faded">{r.name}</span>
      <span className="ml-auto truncate pl-2 text-[12px] text-faded">{r.why}</span>
    </li>
  ));
}

function only(chosen: Chosen, lines: Mover[]): Chosen {
  const out: Chosen = {};
  for (const m of lines) {
    const own = chosen[m.path];
    if (!own) continue;
    const there = new Set((m.motion.keys ?? []).map((k) => k.frame));
    const frames = own.filter((f) => there.has(f));
    if (frames.length > 0) out[m.path] = frames;
  }
  return out;
}

/** The chosen keys, typed: their frame and value, and how they go on. */
function Picked({ chosen, lines, onChosen }: { chosen: Chosen; lines: Mover[]; onChosen: (c: Chosen) => void }) {
  const n = countChosen(chosen);
  const keys = lines.flatMap((m) => (m.motion.keys ?? []).filter((k) => isChosen(chosen, m.path, k.frame)).map((key) => ({ m, key })));
  const one = keys[0];
  const [shown, factor] = shownIn(one?.m.unit ?? '');
  const same = (of: (k: Key) => unknown) => keys.every((k) => of(k.key) === of(one!.key));
  const type = (what: 'frame' | 'value', text: string) => {
    const now = what === 'frame' ? one!.key.frame : one!.key.value * factor;
    const read = readSum(
      text,
      what === 'frame' ? { unit: '', now, frames: { rate: clock.rate, zero: clock.first } } : { unit: shown, now },
    );
    if (!('value' in read)) return;
    const to = what === 'frame' ? Math.round(read.value) : read.value / factor;
    if (what === 'value') void changeKeys('Keys set', chosen, (k) => ({ ...k, value: to }));
    else if (n === 1) {
      const path = one!.m.path;
      void changeKeys(`Key moved to ${to}`, chosen, (k) => ({ ...k, frame: to })).then((done) => done && onChosen({ [path]: [to] }));
    }
  };
  return (
    <div className="flex h-9 shrink-0 items-center gap-1.5 border-b border-line px-3">
      <span className="mr-auto truncate font-semibold">{n === 0 ? 'What moves' : n === 1 ? 'A key' : `${n} keys`}</span>
      {one && (
        <>
          {n === 1 && (
            <Typed
              key={`f${one.m.path}${one.key.frame}`}
              label="Frame of the key"
              now={String(one.key.frame)}
              onType={(t) => type('frame', t)}
            />
          )}
          <Typed
            key={`v${one.m.path}${one.key.frame}${one.key.value}`}
            label="Value of the keys"
            now={same((k) => k.value) ? showNumber(one.key.value * factor) : ''}
            onType={(t) => type('value', t)}
          />
          <Choice
            label="How the keys go on"
            value={same((k) => k.then ?? 'straight') ? (one.key.then ?? 'straight') : ''}
            placeholder="various"
            options={WAYS}
            onChoose={(on) => void changeKeys(`Keys go on: ${wayOn(on)}`, chosen, (k) => ({ ...k, ...way(on) }))}
          />
          <Button className="!px-1.5" aria-label="Remove the chosen keys" hint="Removes them (Delete)" onClick={() => void takeOut(chosen)}>
            ×
          </Button>
        </>
      )}
    </div>
  );
}

function Typed({ label, now, onType }: { label: string; now: string; onType: (text: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  return (
    <input
      aria-label={label}
      title={label}
      data-typing={text !== null ? 'yes' : undefined}
      className="num h-6 w-[62px] min-w-0 rounded-[5px] border border-line-strong bg-field px-1"
      value={text ?? now}
      placeholder="various"
      onChange={(e) => setText(e.target.value)}
      onBlur={() => setText(null)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' && text !== null) onType(text);
        if (e.key !== 'Enter' && e.key !== 'Escape') return;
        if (e.key === 'Escape') e.stopPropagation();
        setText(null);
        e.currentTarget.blur();
      }}
    />
  );
}

type Drag =
  | { kind: 'keys'; x: number; y: number; frames: number; values: number; copy: boolean; line: Line }
  | { kind: 'box'; x: number; y: number; u: number; v: number; add: boolean }
  | { kind: 'stretch'; about: number; end: number; to: number }
  | { kind: 'handle'; held: Held; side: 'arrive' | 'leave'; frames: number; value: number }
  | { kind: 'pan'; x: number; y: number; range: Range };

/** The lines on their linen. */
function Field({
  lines: shown,
  colour,
  chosen,
  onChosen,
}: {
  lines: Mover[];
  colour: (m: Mover) => string;
  chosen: Chosen;
  onChosen: (c: Chosen) => void;
}) {
  const id = useOpen();
  const span = useScene((s) => [s.frames.first, s.frames.last, s.frames.rate ?? 24] as const);
  const dusk = useView((v) => v.dusk);
  const [first, last] = span ?? [0, 1];
  const paths = shown.map((m) => m.path);
  // Told once for what is shown: with many keys it takes longer than to draw them.
  const wanted = useMemo(() => JSON.stringify([shown.map((m) => [m.path, m.motion]), span]), [shown, span]);
  const { data } = useQuery({
    queryKey: ['values', id, 'lines', wanted],
    queryFn: () => told(http.POST('/api/projects/{id}/values', { params: { path: { id } }, body: { paths } })),
    enabled: paths.length > 0,
    placeholderData: keepPreviousData,
    structuralSharing: false,
    gcTime: 10_000,
    retry: 0,
  });
  const rows = data?.numbers.length === shown.length ? data.numbers : NOTHING;
  const css = useMemo(() => getComputedStyle(document.documentElement), [dusk]);
  const lines = useMemo(
    (): Line[] =>
      shown.map((mover, k) => {
        const row: number[] = rows[k] ?? [];
        let [low, high] = [Infinity, -Infinity];
        for (const v of row) [low, high] = [Math.min(low, v), Math.max(high, v)];
        return {
          mover,
          row,
          colour: css.getPropertyValue(colour(mover)).trim(),
          low: row.length > 0 ? low : 0,
          high: row.length > 0 ? high : 1,
        };
      }),
    [shown, rows, css],
  );
  const apart = new Set(shown.map((m) => m.unit)).size > 1;
  const unit = shown[0]?.unit ?? '';
  const whole = useMemo((): Range => {
    const [low, high] = apart ? [0, 1] : [Math.min(...lines.map((l) => l.low)), Math.max(...lines.map((l) => l.high))];
    const room = high - low || Math.abs(high) || 1;
    return { from: first, to: Math.max(last, first + 1), low: low - 0.08 * room, high: high + 0.08 * room };
  }, [lines, apart, first, last]);
  const [own, setOwn] = useState<Range | null>(null);
  const range = own ?? whole;
  const key = paths.join(' ');
  useEffect(() => setOwn(null), [key, id]);
  const host = useRef<HTMLDivElement>(null);
  const linen = useRef<HTMLCanvasElement>(null);
  const marks = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState<[number, number]>([600, 160]);
  const [drag, setDragNow] = useState<Drag | null>(null);
  const dragging = useRef<Drag | null>(null);
  const setDrag = (d: Drag | null) => setDragNow((dragging.current = d));
  const frame = useMemo(() => new Frame(range, size[0], size[1], apart), [range, size, apart]);
  // While many lines are panned what was drawn is moved; they are drawn again when the hand rests.
  const [drawn, setDrawn] = useState(frame);
  const panned = drag?.kind === 'pan' && lines.length > MANY && drawn.movedBy(frame);
  const seen = panned ? drawn : frame;
  useEffect(() => {
    const wait = setTimeout(() => setDrawn(frame), panned ? RESTS : 0);
    return () => clearTimeout(wait);
  }, [frame, panned]);
  const shift = panned ? `translate(${panned[0]}px, ${panned[1]}px)` : undefined;
  const keys = useMemo(() => keysOn(seen, lines, first), [seen, lines, first]);

  useEffect(() => {
    const watch = new ResizeObserver(() => host.current && setSize([host.current.clientWidth, host.current.clientHeight]));
    if (host.current) watch.observe(host.current);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    const c = linen.current && fit(linen.current, size);
    if (c) drawLines(c, seen, lines, first, shownIn(unit)[1], css);
  }, [seen, lines, first, unit, css, size]);
  // Keys and the frame on screen lie over the lines: they move while those stay.
  useEffect(() => {
    const paint = () => {
      const c = marks.current && fit(marks.current, size);
      if (c) drawMarks(c, seen, lines, keys, chosen, dragging.current, css, first);
    };
    paint();
    return clock.subscribe(paint);
  }, [seen, lines, keys, chosen, drag, css, size, first]);

  const ends = useMemo(() => {
    const all = new Set(Object.values(chosen).flat());
    return all.size > 1 ? endsOf([...all]) : null;
  }, [chosen]);
  const place = (e: { clientX: number; clientY: number }) => {
    const box = host.current!.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top] as const;
  };
  const nearest = (x: number, y: number): Held | undefined => {
    const far = (k: Held) => Math.hypot(k.x - x, k.y - y);
    const best = keys.reduce<Held | undefined>((a, k) => (!a || far(k) < far(a) ? k : a), undefined);
    return best && far(best) < 9 ? best : undefined;
  };
  const down = (e: React.PointerEvent<HTMLDivElement>) => {
    const [x, y] = place(e);
    e.currentTarget.setPointerCapture(e.pointerId);
    if (e.button !== 0) return setDrag({ kind: 'pan', x, y, range });
    if (ends && y < 20) {
      const side = ends.findIndex((f) => Math.abs(frame.x(f) - x) < 9);
      if (side >= 0) return setDrag({ kind: 'stretch', about: ends[1 - side]!, end: ends[side]!, to: ends[side]! });
    }
    const arm = keys
      .filter((k) => isChosen(chosen, k.line.mover.path, k.key.frame))
      .flatMap((held) => handlesOf(frame, held, first).map((h) => ({ held, h })))
      .find(({ h }) => Math.hypot(h.x - x, h.y - y) < 8);
    if (arm) return setDrag({ kind: 'handle', held: arm.held, side: arm.h.side, frames: arm.h.frames, value: arm.h.value });
    const hit = nearest(x, y);
    if (!hit) return setDrag({ kind: 'box', x, y, u: x, v: y, add: e.shiftKey });
    const path = hit.line.mover.path;
    const is = isChosen(chosen, path, hit.key.frame);
    if (e.shiftKey) {
      const rest = (chosen[path] ?? []).filter((f) => f !== hit.key.frame);
      onChosen({ ...chosen, [path]: is ? rest : [...rest, hit.key.frame] });
      if (is) return;
    } else if (!is) onChosen({ [path]: [hit.key.frame] });
    setDrag({ kind: 'keys', x, y, frames: 0, values: 0, copy: e.altKey, line: hit.line });
  };
  const move = (e: React.PointerEvent) => {
    const d = dragging.current;
    if (!d) return;
    const [x, y] = place(e);
    if (d.kind === 'pan') {
      const [df, dv] = [frame.frame(d.x) - frame.frame(x), ((y - d.y) / Math.max(1, size[1] - 32)) * (d.range.high - d.range.low)];
      setOwn({ from: d.range.from + df, to: d.range.to + df, low: d.range.low + dv, high: d.range.high + dv });
    } else if (d.kind === 'box') setDrag({ ...d, u: x, v: y });
    else if (d.kind === 'stretch') setDrag({ ...d, to: Math.round(frame.frame(x)) });
    else if (d.kind === 'handle') {
      const sign = d.side === 'arrive' ? -1 : 1;
      const value = frame.value(d.held.line, y) - frame.value(d.held.line, d.held.y);
      setDrag({ ...d, frames: Math.max(0, sign * (frame.frame(x) - d.held.key.frame)), value });
    } else {
      // Mostly sideways is in time, mostly up and down is in value, until it is clearly both.
      const [dx, dy] = [x - d.x, y - d.y];
      const frames = Math.abs(dx) < 4 ? 0 : Math.round(frame.frame(x) - frame.frame(d.x));
      const values = Math.abs(dy) < 4 ? 0 : frame.value(d.line, y) - frame.value(d.line, d.y);
      setDrag({
        ...d,
        frames: Math.abs(dy) > 3 * Math.abs(dx) ? 0 : frames,
        values: Math.abs(dx) > 3 * Math.abs(dy) ? 0 : values,
        copy: e.altKey,
      });
    }
  };
  const up = () => {
    const d = dragging.current;
    setDrag(null);
    if (!d || d.kind === 'pan') return;
    if (d.kind === 'box') {
      const [l, r, t, b] = [Math.min(d.x, d.u), Math.max(d.x, d.u), Math.min(d.y, d.v), Math.max(d.y, d.v)];
      const next: Chosen = d.add ? { ...chosen } : {};
      for (const k of keys)
        if (k.x >= l && k.x <= r && k.y >= t && k.y <= b) next[k.line.mover.path] = [...(next[k.line.mover.path] ?? []), k.key.frame];
      onChosen(next);
      // A press on bare linen goes to its frame.
      if (r - l < 4 && b - t < 4) clock.halt(Math.round(Math.min(last, Math.max(first, frame.frame(d.x)))));
      return;
    }
    if (d.kind === 'handle') {
      const path = d.held.line.mover.path;
      const to = { frames: Number(d.frames.toFixed(3)), value: Number(d.value.toPrecision(8)) };
      void changeKeys('Curve bent', { [path]: [d.held.key.frame] }, (k) => ({ ...k, [d.side]: to }));
      return;
    }
    const how = moved(d, lines);
    const to: Chosen = Object.fromEntries(
      Object.entries(chosen).map(([p, frames]) => [p, frames.map((f) => how({ frame: f, value: 0 }, p).frame)]),
    );
    if (d.kind === 'keys' && d.frames === 0 && d.values === 0) return;
    if (d.kind === 'stretch' && d.to === d.end) return;
    const n = countChosen(chosen);
    const label = d.kind === 'stretch' ? `${n} keys stretched in time` : `${n === 1 ? 'Key' : `${n} keys`} ${d.copy ? 'copied' : 'moved'}`;
    void changeKeys(label, chosen, how, d.kind === 'keys' && d.copy).then((done) => done && onChosen(to));
  };
  const wheel = (e: React.WheelEvent) => {
    const [x, y] = place(e);
    const by = Math.exp(0.0014 * (e.deltaY || e.deltaX));
    const { from, to, low, high } = range;
    if (e.shiftKey) {
      const v = low + ((size[1] - 10 - y) / Math.max(1, size[1] - 32)) * (high - low);
      setOwn({ ...range, low: v + (low - v) * by, high: v + (high - v) * by });
    } else {
      const f = frame.frame(x);
      if ((to - from) * by > 2 && (to - from) * by < 1e6) setOwn({ ...range, from: f + (from - f) * by, to: f + (to - f) * by });
    }
  };
  return (
    <div className="relative min-w-0 bg-ground">
      <div
        ref={host}
        role="application"
        aria-label={`Ways of ${shown.length} numbers. Keys are chosen by a press or a box, dragged, and removed with Delete`}
        tabIndex={0}
        data-testid="lines"
        className="absolute inset-0 touch-none overflow-hidden outline-none focus-visible:shadow-[inset_0_0_0_2px_var(--woad)]"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => setDrag(null)}
        onWheel={wheel}
        onContextMenu={(e) => e.preventDefault()}
        onDoubleClick={(e) => {
          const [x, y] = place(e);
          const at = Math.round(frame.frame(x));
          if (nearest(x, y)) return;
          const line = lines.toSorted(
            (a, b) => Math.abs(frame.y(a, a.row[at - first] ?? 0) - y) - Math.abs(frame.y(b, b.row[at - first] ?? 0) - y),
          )[0];
          if (line) void setKey(`${line.mover.of} ${line.mover.named.toLowerCase()}`, line.mover.path, at, frame.value(line, y));
        }}
        onKeyDown={(e) => {
          if ((e.key === 'Delete' || e.key === 'Backspace') && countChosen(chosen) > 0) {
            e.preventDefault();
            e.stopPropagation();
            void takeOut(chosen);
          } else if (e.key === 'Escape' && (drag || countChosen(chosen) > 0)) {
            e.stopPropagation();
            if (drag) setDrag(null);
            else onChosen({});
          } else if (e.key === 'a' && (e.ctrlKey || e.metaKey)) {
            e.preventDefault();
            e.stopPropagation();
            onChosen(Object.fromEntries(shown.map((m) => [m.path, (m.motion.keys ?? []).map((k) => k.frame)])));
          } else if (e.key.startsWith('Arrow') && e.altKey && countChosen(chosen) > 0) {
            const by = e.key === 'ArrowLeft' ? -1 : e.key === 'ArrowRight' ? 1 : 0;
            if (by === 0) return;
            e.preventDefault();
            e.stopPropagation();
            const next = Object.fromEntries(Object.entries(chosen).map(([p, f]) => [p, f.map((k) => k + by)]));
            void changeKeys('Keys nudged', chosen, (k) => ({ ...k, frame: k.frame + by })).then((done) => done && onChosen(next));
          }
        }}
      >
        <canvas ref={linen} className="absolute inset-0 h-full w-full" style={{ transform: shift }} />
        <canvas ref={marks} className="absolute inset-0 h-full w-full" style={{ transform: shift }} />
      </div>
      <div className="absolute top-1 right-1.5 flex gap-1">
        <span className="self-center rounded bg-ground/90 px-1 text-[12px] text-faded">
          {apart ? 'each to its own height' : shownIn(unit)[0]}
        </span>
        <Button className="!px-1.5 !py-0" hint="All of the lines, in all frames" disabled={!own} onClick={() => setOwn(null)}>
          Fit
        </Button>
      </div>
    </div>
  );
}

/** The least and the most of some numbers, however many. */
const endsOf = (xs: number[]): [number, number] =>
  xs.reduce<[number, number]>(([low, high], x) => [Math.min(low, x), Math.max(high, x)], [Infinity, -Infinity]);

/** What a drag makes of a key. */
function moved(d: Extract<Drag, { kind: 'keys' | 'stretch' }>, lines: Line[]): (k: Key, path: string) => Key {
  if (d.kind === 'stretch') {
    const by = (d.to - d.about) / (d.end - d.about || 1);
    return (k) => ({ ...k, frame: Math.round(d.about + (k.frame - d.about) * by) });
  }
  const scale = (l: Line | undefined) => (l ? l.high - l.low || Math.abs(l.high) || 1 : 1);
  return (k, path) => {
    const line = lines.find((l) => l.mover.path === path);
    // Lines that each have their own height go by as much of it.
    const own = line?.mover.unit === d.line.mover.unit ? 1 : scale(line) / scale(d.line);
    return { ...k, frame: k.frame + d.frames, value: Number((k.value + d.values * own).toPrecision(10)) };
  };
}

function fit(canvas: HTMLCanvasElement, [w, h]: [number, number]) {
  const ratio = devicePixelRatio;
  if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio))
    [canvas.width, canvas.height] = [Math.round(w * ratio), Math.round(h * ratio)];
  // Where there is no graphics card a canvas of many lines is drawn faster by the processor alone.
  const c = canvas.getContext('2d', { willReadFrequently: true });
  c?.setTransform(ratio, 0, 0, ratio, 0, 0);
  return c;
}

/** Keys that crowd: one speck for all that fall on a pixel. */
function specks(c: CanvasRenderingContext2D, own: Held[], is: (k: Held) => boolean, on: boolean) {
  const [half, full] = on ? [2, 4] : [1, 2];
  let [lastX, lastY] = [NaN, NaN];
  for (const k of own) {
    if (is(k) !== on) continue;
    const [x, y] = [Math.round(k.x), Math.round(k.y)];
    if (x === lastX && y === lastY) continue;
    [lastX, lastY] = [x, y];
    // Whole pixels without a path: a path of ten thousand rectangles takes ten times as long to fill.
    c.fillRect(x - half, y - half, full, full);
  }
}

/** Keys as knots, the bracket that stretches them, what a drag would make of them, and the frame on screen. */
function drawMarks(
  c: CanvasRenderingContext2D,
  f: Frame,
  lines: Line[],
  keys: Held[],
  chosen: Chosen,
  drag: Drag | null,
  css: CSSStyleDeclaration,
  first: number,
) {
  const ink = (n: string) => css.getPropertyValue(n).trim();
  c.clearRect(0, 0, f.width, f.height);
  c.fillStyle = ink('--ink');
  c.fillRect(Math.round(f.x(clock.frame)), 0, 1.5, f.height);
  const taken = new Map(Object.entries(chosen).map(([path, frames]) => [path, new Set(frames)]));
  const is = (k: Held) => taken.get(k.line.mover.path)?.has(k.key.frame) ?? false;
  // Where they crowd a key is a speck. All of a line at once: a path for each key costs more than all else.
  const small = keys.length > f.width;
  const [lean, rise] = [Math.cos(-0.5), Math.sin(-0.5)];
  c.lineWidth = 1.6;
  const each = new Map<Line, Held[]>();
  for (const k of keys) {
    const own = each.get(k.line);
    if (own) own.push(k);
    else each.set(k.line, [k]);
  }
  for (const [line, own] of each) {
    for (const on of [false, true]) {
      c.strokeStyle = line.colour;
      c.fillStyle = on || small ? line.colour : ink('--raised');
      if (small) {
        specks(c, own, is, on);
        continue;
      }
      c.beginPath();
      for (const k of own) {
        if (is(k) !== on) continue;
        const [rx, ry] = on ? [5, 4] : [4, 3.2];
        c.moveTo(k.x + rx * lean, k.y + rx * rise);
        c.ellipse(k.x, k.y, rx, ry, -0.5, 0, 2 * Math.PI);
      }
      c.fill();
      c.stroke();
    }
  }
  for (const k of small ? NOTHING : keys) {
    if (!is(k)) continue;
    c.strokeStyle = c.fillStyle = k.line.colour;
    for (const h of handlesOf(f, k, first)) {
      c.beginPath();
      c.moveTo(k.x, k.y);
      c.lineTo(h.x, h.y);
      c.stroke();
      c.beginPath();
      c.rect(h.x - 3, h.y - 3, 6, 6);
      if (h.own) c.fill();
      else c.stroke();
    }
  }
  const [l, r] = endsOf(Object.values(chosen).flat().map(f.x));
  if (r - l > 2) {
    c.strokeStyle = ink('--woad');
    c.lineWidth = 2;
    c.beginPath();
    c.moveTo(l, 17);
    c.lineTo(l, 8);
    c.lineTo(r, 8);
    c.lineTo(r, 17);
    c.stroke();
  }
  if (!drag) return;
  c.strokeStyle = ink('--woad');
  c.lineWidth = 1;
  if (drag.kind === 'box')
    c.strokeRect(Math.min(drag.x, drag.u), Math.min(drag.y, drag.v), Math.abs(drag.u - drag.x), Math.abs(drag.v - drag.y));
  if (drag.kind === 'handle') {
    const sign = drag.side === 'arrive' ? -1 : 1;
    const [x, y] = [f.x(drag.held.key.frame + sign * drag.frames), drag.held.y + f.y(drag.held.line, drag.value) - f.y(drag.held.line, 0)];
    c.beginPath();
    c.moveTo(drag.held.x, drag.held.y);
    c.lineTo(x, y);
    c.stroke();
    c.strokeRect(x - 3, y - 3, 6, 6);
  }
  if (drag.kind !== 'keys' && drag.kind !== 'stretch') return;
  // A thread from key to key as they would be; the line itself comes when they are let go.
  const how = moved(drag, lines);
  c.setLineDash([4, 3]);
  for (const line of lines) {
    const own = line.mover.motion.keys ?? [];
    const frames = chosen[line.mover.path] ?? [];
    if (frames.length === 0) continue;
    const added = new Map(own.map((k) => [k.frame, f.y(line, valueOf(line, k, first)) - f.y(line, k.value)]));
    const offset = (k: Key) => added.get(k.frame) ?? 0;
    const next = changed(own, frames, (k) => how(k, line.mover.path), drag.kind === 'keys' && drag.copy);
    c.strokeStyle = line.colour;
    c.beginPath();
    next.forEach((k, n) =>
      n === 0 ? c.moveTo(f.x(k.frame), f.y(line, k.value) + offset(k)) : c.lineTo(f.x(k.frame), f.y(line, k.value) + offset(k)),
    );
    c.stroke();
    for (const k of next) c.strokeRect(f.x(k.frame) - 2, f.y(line, k.value) + offset(k) - 2, 4, 4);
  }
  c.setLineDash([]);
}
