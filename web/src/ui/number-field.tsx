/** Numbers: drag to scrub, type with units and simple sums, arrows to nudge, double-click the mark to reset. */
import { useEffect, useRef, useState } from 'react';
import { setValue } from '../state/project';
import { setHere, useHere } from '../state/here';
import type { Body } from '../api/http';
import { at, facts, unitAt } from '../state/pointer';
import { now, openId, useScene, useSchema } from '../state/queries';
import { clothOf, isMotion, motionWords, type Value } from '../state/value';
import { setKey, useFrame, useNumbers, valueAt } from '../state/motion';
import { letGo, tryOut } from '../state/tried';
import { useView } from '../state/view';
import { MotionMark } from './motion-mark';
import { ScaledMark } from './scaled-mark';
import { hand, rehearses } from '../stream/rehearsal';
import { trial } from '../stream/trial';
import { readSum, shownIn, showNumber, showRounded } from './sum';

type Part = {
  /** JSON Pointer of the number in the scene. */
  path: string;
  /** What it is where the scene says nothing of it. */
  otherwise?: number;
  /** Short, shown in the field where a row has several: x, y, warp. */
  name?: string;
};

type Props = {
  /** Shown before the row; the schema's title of the first where left out. */
  label?: string;
  /** The thing whose number it is: what undo calls a change begins with it. */
  of: string;
  parts: Part[];
  whole?: boolean;
  /** Numbers of frames: seconds can be typed, from `zero` on. */
  frames?: { rate: number; zero: number };
};

/** Where a body starts does not move. */
const STARTS = /^\/bodies\/[^/]+\/place\//;

/** One number on a row of its own. */
export function NumberField({
  path,
  otherwise,
  ...rest
}: {
  path: string;
  otherwise?: number;
  label?: string;
  of: string;
  whole?: boolean;
  frames?: { rate: number; zero: number };
}) {
  return <NumberRow parts={[{ path, ...(otherwise === undefined ? {} : { otherwise }) }]} {...rest} />;
}

/** A row of up to three numbers that belong together. */
export function NumberRow({ label, of, parts, whole, frames }: Props) {
  const schema = useSchema();
  const [bad, setBad] = useState<Record<string, string>>({});
  const faults = useHere((h) => h.faults);
  const title = label ?? facts(schema, parts[0]!.path).title;
  const told = parts.map((p) => bad[p.path] ?? faults[p.path]).find(Boolean);
  return (
    <div className="px-4 pl-9">
      <div className={parts.length > 2 ? 'pb-1' : 'grid min-h-7 grid-cols-[88px_minmax(0,1fr)] items-center gap-2'}>
        <span
          className={`truncate text-faded select-none ${parts.length > 2 ? 'block text-[12px] leading-5' : ''}`}
          title={[title, facts(schema, parts[0]!.path).note].filter(Boolean).join('\n')}
        >
          {title}
          <ScaledMark path={parts[0]!.path} />
        </span>
        <span className="flex min-w-0 gap-1.5">
          {parts.map((p) => (
            <Num
              key={p.path}
              part={p}
              label={title}
              of={of}
              whole={whole ?? false}
              frames={frames}
              alone={parts.length === 1}
              bad={Boolean(bad[p.path] ?? faults[p.path])}
              onBad={(b) =>
                setBad((all) =>
                  b === null && !(p.path in all)
                    ? all
                    : { ...Object.fromEntries(Object.entries(all).filter(([k]) => k !== p.path)), ...(b ? { [p.path]: b } : {}) },
                )
              }
            />
          ))}
        </span>
      </div>
      {told && (
        <p role="alert" className="pb-1 pl-[96px] text-[12px] text-madder">
          {told}
        </p>
      )}
    </div>
  );
}

type Draft = { text: string; typed: boolean };

function Num(props: {
  part: Part;
  label: string;
  of: string;
  whole: boolean;
  frames: { rate: number; zero: number } | undefined;
  alone: boolean;
  bad: boolean;
  onBad: (b: string | null) => void;
}) {
  const { part, label, of, whole, frames, alone, bad, onBad } = props;
  const { path } = part;
  const said = useScene((s) => at(s, path)) as Value | undefined;
  const moves = isMotion(said) ? said : null;
  const schemaNow = useSchema();
  const f = facts(schemaNow, path);
  // What is not said is what it begins as.
  const value =
    typeof said === 'number' ? said : moves ? undefined : (part.otherwise ?? (typeof f.initial === 'number' ? f.initial : undefined));
  const own = useScene((s) => unitAt(s, schemaNow, path)) ?? f.unit;
  const [unit, factor] = shownIn(own);
  const numbers = useNumbers(path, said);
  const frame = useFrame(Boolean(moves));
  const moving = moves ? valueAt(numbers?.numbers[0], numbers?.first ?? 0, frame) : undefined;
  // What is being typed, dragged or nudged, or is on its way to the server; null when it shows the scene's own value.
  const [draft, setDraftNow] = useState<Draft | null>(null);
  const [typing, setTyping] = useState(false);
  const show = (v: number) => (typing ? showNumber(v * factor) : showRounded(v * factor, unit));
  const held = useRef<Draft | null>(null);
  const setDraft = (d: Draft | null) => {
    held.current = d;
    setDraftNow(d);
  };
  const drag = useRef<{ x: number; from: number; moved: boolean; to: number; end: () => void } | null>(null);
  /** What was entered and is not yet in the scene: the next sum begins on it. */
  const onWay = useRef<number | null>(null);
  /** Whether anything was typed since it has the focus. */
  const struck = useRef(false);
  const burst = useRef<{ to: number; timer: ReturnType<typeof setTimeout> } | null>(null);
  const shown = draft?.text ?? (moves ? (moving === undefined ? 'moves' : show(moving)) : value === undefined ? '' : show(value));
  const named = `${label}${part.name ? ` ${part.name}` : ''}`;

  useEffect(() => onBad(null), [said]);

  const clamp = (v: number) => {
    const c = Math.min(f.max * factor, Math.max(f.min * factor, v));
    return whole ? Math.round(c) : c;
  };
  const stored = (v: number) => (whole ? Math.round(v) : v / factor);
  const commit = (v: number) => {
    const next = stored(v);
    const here = at(now.scene(), path);
    onBad(null);
    if (path in useHere.getState().faults) setHere({ faults: {} });
    if (typeof here === 'number' && Math.abs(next - here) <= 1e-9 * Math.abs(here)) return setDraft(null);
    const mine: Draft = { text: showNumber(v), typed: false };
    setDraft(mine);
    onWay.current = v;
    const there = () => {
      if (onWay.current === v) onWay.current = null;
      if (held.current === mine) setDraft(null);
    };
    if (moves?.keys?.length) {
      void setKey(`${of} ${named.toLowerCase()}`.trim(), path, frame, next).then(there);
      return;
    }
    // Shown until the scene has it, so that the old value does not flash up.
    void setValue(`${of} ${named.toLowerCase()}`.trim(), path, next).then(there);
  };
  const enter = () => {
    // What was typed over by the same is a wish too: of a number that moves it is a key.
    if (!held.current && struck.current && moves) held.current = { text: shown, typed: true };
    struck.current = false;
    const d = held.current;
    if (!d?.typed) return;
    const read = readSum(d.text, { unit, now: onWay.current ?? (value === undefined ? undefined : value * factor), frames });
    if ('fault' in read) {
      onBad(read.fault);
      setDraft(null);
    } else if (whole && Math.abs(read.value - Math.round(read.value)) > 1e-9) {
      onBad(`must be a whole number: ${Math.floor(read.value)} or ${Math.ceil(read.value)}`);
      setDraft(null);
    } else if (read.value < f.min * factor - 1e-9 || read.value > f.max * factor + 1e-9) {
      onBad(`must be ${showNumber(f.min * factor)} to ${showNumber(f.max * factor)}${unit && ` ${unit}`}`);
      setDraft(null);
    } else commit(read.value);
  };
  /** A step that suits the size of the number. */
  const grain = (v: number) => {
    if (whole) return 1;
    const size = Math.abs(v) || Math.min(1, (f.max - f.min) * factor) || 1;
    return 10 ** (Math.floor(Math.log10(size)) - 1);
  };
  const settle = () => {
    const b = burst.current;
    burst.current = null;
    if (!b) return;
    clearTimeout(b.timer);
    trial.end();
    letGo();
    commit(b.to);
  };
  /** Every press counts; a burst of them is one edit. */
  const nudge = (by: number) => {
    if (value === undefined) return;
    const from = burst.current?.to ?? (held.current ? Number(held.current.text.replace(/\s/g, '')) || value * factor : value * factor);
    if (burst.current) clearTimeout(burst.current.timer);
    const to = clamp(Number((from + by * grain(from)).toPrecision(12)));
    burst.current = { to, timer: setTimeout(settle, 400) };
    setDraft({ text: showNumber(to), typed: false });
    preview(to);
  };
  const reset = () => {
    const back = presetValue(path) ?? f.initial;
    if (back !== undefined) commit(back * factor);
  };
  const preview = (v: number) => {
    const body = /^\/bodies\/([^/]+)\//.exec(path)?.[1] ?? useView.getState().body ?? Object.keys(now.scene()?.bodies ?? {})[0];
    const there = at(now.scene(), path) !== undefined;
    const runs = body && !/\/(name|first|last)$/.test(path) ? body : null;
    tryOut(path, stored(v), runs);
    if (runs) trial.start(openId(), runs, [{ op: there ? 'replace' : 'add', path, value: stored(v) }]);
  };
  const release = () => {
    drag.current?.end();
    drag.current = null;
    trial.end();
    letGo();
  };
  useEffect(
    () => () => {
      drag.current?.end();
      clearTimeout(burst.current?.timer);
    },
    [],
  );

  const handle = {
    onPointerDown: (e: React.PointerEvent) => {
      // Rehearsed, a number that moves is led by the hand, too.
      const led = value ?? (rehearses(path) ? moving : undefined);
      if (led === undefined || e.button !== 0) return;
      // What is typed elsewhere is entered first.
      (document.activeElement as HTMLElement | null)?.blur();
      e.currentTarget.setPointerCapture(e.pointerId);
      settle();
      const escape = (k: KeyboardEvent) => {
        if (k.key !== 'Escape') return;
        k.preventDefault();
        k.stopPropagation();
        setDraft(null);
        release();
      };
      addEventListener('keydown', escape, true);
      const from = led * factor;
      drag.current = { x: e.clientX, from, moved: false, to: from, end: () => removeEventListener('keydown', escape, true) };
    },
    // The press takes no focus and begins no text.
    onMouseDown: (e: React.MouseEvent) => drag.current && e.preventDefault(),
    onDragStart: (e: React.DragEvent) => e.preventDefault(),
    onPointerMove: (e: React.PointerEvent) => {
      const d = drag.current;
      if (!d) return;
      const by = e.clientX - d.x;
      if (!d.moved && Math.abs(by) < 3) return;
      d.moved = true;
      const to = clamp(Number((d.from + Math.round(by / 2) * grain(d.from) * (e.shiftKey ? 0.1 : 1)).toPrecision(12)));
      if (to === d.to) return;
      d.to = to;
      setDraft({ text: showNumber(to), typed: false });
      if (rehearses(path)) hand([stored(to)], []);
      else preview(to);
    },
    onPointerUp: () => {
      const d = drag.current;
      release();
      // What is rehearsed is kept when it is over, or not at all.
      if (rehearses(path)) return setDraft(null);
      if (d?.moved) commit(d.to);
    },
    onPointerCancel: () => {
      setDraft(null);
      release();
    },
  };
  /** On the number itself a press that moves nothing is for typing, as is all that is done while one types. */
  const onText = {
    ...handle,
    onPointerDown: (e: React.PointerEvent<HTMLInputElement>) => document.activeElement !== e.currentTarget && handle.onPointerDown(e),
    onPointerUp: (e: React.PointerEvent<HTMLInputElement>) => {
      const still = drag.current && !drag.current.moved;
      handle.onPointerUp();
      if (still) e.currentTarget.focus();
    },
  };

  return (
    <span
      className={`group/num flex h-6 min-w-0 flex-1 items-center rounded-[5px] border bg-field ${bad ? 'border-madder' : 'border-line-strong'}`}
    >
      <span
        aria-hidden
        title="Drag to change, double-click to reset"
        className="flex h-full shrink-0 cursor-ew-resize touch-none items-center pl-1.5 text-[12px] text-faded select-none"
        {...handle}
        onDoubleClick={reset}
      >
        {part.name ?? (
          <svg width="7" height="10">
            <path d="M1.500 1v8M5.500 1v8" stroke="var(--line-strong)" strokeWidth="1.500" />
          </svg>
        )}
      </span>
      <input
        id={path}
        data-path={path}
        data-typing={draft?.typed ? 'yes' : undefined}
        className="num h-full w-full min-w-0 touch-none rounded-[5px] bg-transparent pl-1.5"
        inputMode="decimal"
        autoComplete="off"
        aria-label={`${of} ${named}${unit ? `, ${unit}` : ''}`.trim()}
        aria-invalid={bad}
        value={shown}
        title={
          moves
            ? `${motionWords(moves)}. ${moves.keys?.length ? 'A number typed here is a key at this frame.' : 'A number typed here takes its place.'}`
            : undefined
        }
        {...onText}
        onBeforeInput={() => (struck.current = true)}
        onPaste={() => (struck.current = true)}
        // Text that is dropped here came from elsewhere by a slip of the hand.
        onDrop={(e) => e.preventDefault()}
        onChange={(e) => setDraft({ text: e.target.value, typed: true })}
        onFocus={(e) => {
          struck.current = false;
          setTyping(true);
          // All of the number stands there when it is taken hold of.
          const field = e.target;
          requestAnimationFrame(() => document.activeElement === field && !held.current?.typed && field.select());
          field.select();
        }}
        onBlur={() => (enter(), settle(), setTyping(false))}
        onKeyDown={(e) => {
          // Entered, the keys are the page's again.
          if (e.key === 'Enter') e.currentTarget.blur();
          else if (e.key === 'Escape') {
            if (burst.current) clearTimeout(burst.current.timer);
            burst.current = null;
            struck.current = false;
            trial.end();
            letGo();
            onBad(null);
            setDraft(null);
            e.currentTarget.blur();
          } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
            e.preventDefault();
            nudge((e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 10 : 1));
          }
        }}
        onDoubleClick={(e) => e.currentTarget.select()}
      />
      {unit && <span className={`shrink-0 ${f.moves ? 'pr-0.5' : 'pr-1.5'} text-[12px] text-faded ${alone ? '' : 'hidden'}`}>{unit}</span>}
      {f.moves && !STARTS.test(path) && (
        <MotionMark path={path} otherwise={part.otherwise} of={of} named={named} unit={unit} factor={factor} narrow={!alone} />
      )}
    </span>
  );
}

const presetOf = (b: Body | undefined) => b && clothOf(b)?.matter?.preset;

/** What the preset says that a matter began as. */
function presetValue(path: string): number | undefined {
  const [, body, key] = /^\/bodies\/([^/]+)\/kind\/cloth\/matter\/(\w+)$/.exec(path) ?? [];
  const preset = body && presetOf(now.scene()?.bodies[body]);
  return preset ? (now.matters().find((m) => m.id === preset)?.matter[key!] as number | undefined) : undefined;
}
