/** A number: drag to scrub, type with units and simple sums, arrows to nudge, double-click to reset. */
import { useEffect, useRef, useState } from 'react';
import { setValue, useScene } from '../store/scene';
import { at, facts } from '../store/pointer';
import { readSum, showNumber } from './sum';

type Props = {
  /** JSON Pointer of the number in the scene. */
  path: string;
  /** Shown before it; the schema's title where left out. */
  label?: string;
  /** What undo calls a change: the thing's name comes first. */
  of?: string;
  whole?: boolean;
};

export function NumberField({ path, label, of, whole }: Props) {
  const value = useScene((s) => at(s.project?.scene, path)) as number | undefined;
  const schema = useScene((s) => s.schema);
  const fault = useScene((s) => s.faults[path]);
  const f = facts(schema, path);
  const degrees = f.unit === 'rad';
  const unit = degrees ? '°' : f.unit;
  const factor = degrees ? 180 / Math.PI : 1;
  // What is being typed or dragged; null when it shows the scene's own value.
  const [draft, setDraft] = useState<string | null>(null);
  const [bad, setBad] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const drag = useRef<{ x: number; from: number; moved: boolean; to: number } | null>(null);
  const name = label ?? f.title;
  const shown = draft ?? (value === undefined ? '' : showNumber(value * factor));

  useEffect(() => setBad(null), [value]);

  const clamp = (v: number) => {
    const c = Math.min(f.max * factor, Math.max(f.min * factor, v));
    return whole ? Math.round(c) : c;
  };
  const commit = (v: number) => {
    setDraft(null);
    const next = whole ? Math.round(v) : v / factor;
    if (value !== undefined && Math.abs(next - value) <= 1e-9 * Math.abs(value)) return;
    void setValue(of ? `${of} ${name.toLowerCase()}` : name, path, next);
  };
  const typed = () => {
    if (draft === null) return;
    const v = readSum(draft, unit);
    if (v === null) {
      setBad(`“${draft}” is not a number${unit ? ` of ${unit}` : ''}`);
      setDraft(null);
    } else if (v < f.min * factor - 1e-9 || v > f.max * factor + 1e-9) {
      setBad(`must be ${showNumber(f.min * factor)} to ${showNumber(f.max * factor)}${unit && ` ${unit}`}`);
      setDraft(null);
    } else commit(v);
  };
  /** A step that suits the size of the number. */
  const grain = (v: number) => {
    if (whole) return 1;
    const size = Math.abs(v) || Math.min(1, (f.max - f.min) * factor) || 1;
    return 10 ** (Math.floor(Math.log10(size)) - 1);
  };
  const nudge = (by: number) => {
    if (value !== undefined) commit(clamp(Number((value * factor + by * grain(value * factor)).toPrecision(12))));
  };

  return (
    <div className="px-4 pl-9">
      <div className="grid h-7 grid-cols-[96px_minmax(0,1fr)] items-center gap-2">
        <label
          htmlFor={path}
          title={f.note}
          className="cursor-ew-resize truncate text-faded select-none"
          onPointerDown={(e) => {
            if (value === undefined) return;
            e.currentTarget.setPointerCapture(e.pointerId);
            drag.current = { x: e.clientX, from: value * factor, moved: false, to: value * factor };
          }}
          onPointerMove={(e) => {
            const d = drag.current;
            if (!d) return;
            const by = e.clientX - d.x;
            if (!d.moved && Math.abs(by) < 3) return;
            d.moved = true;
            const fine = e.shiftKey ? 0.1 : 1;
            d.to = clamp(Number((d.from + Math.round(by / 2) * grain(d.from) * fine).toPrecision(12)));
            setDraft(showNumber(d.to));
          }}
          onPointerUp={(e) => {
            const d = drag.current;
            drag.current = null;
            if (d?.moved) {
              e.preventDefault();
              commit(d.to);
            }
          }}
          onPointerCancel={() => {
            drag.current = null;
            setDraft(null);
          }}
          onDoubleClick={() => f.initial !== undefined && commit(f.initial * factor)}
        >
          {name}
        </label>
        <span className={`flex h-6 items-center rounded-[5px] border bg-field pr-2 ${bad || fault ? 'border-madder' : 'border-line-strong'}`}>
          <input
            ref={input}
            id={path}
            data-path={path}
            className="num h-full w-full min-w-0 rounded-[5px] bg-transparent pl-2"
            inputMode="decimal"
            autoComplete="off"
            aria-label={unit ? `${of ?? ''} ${name}, ${unit}`.trim() : `${of ?? ''} ${name}`.trim()}
            aria-invalid={Boolean(bad || fault)}
            value={shown}
            onChange={(e) => setDraft(e.target.value)}
            onFocus={(e) => e.target.select()}
            onBlur={typed}
            onKeyDown={(e) => {
              if (e.key === 'Enter') {
                typed();
                e.currentTarget.select();
              } else if (e.key === 'Escape') {
                setDraft(null);
                e.currentTarget.blur();
              } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
                e.preventDefault();
                nudge((e.key === 'ArrowUp' ? 1 : -1) * (e.shiftKey ? 10 : 1));
              }
            }}
            onDoubleClick={() => f.initial !== undefined && commit(f.initial * factor)}
          />
          <span className="shrink-0 text-[12px] text-faded">{unit}</span>
        </span>
      </div>
      {(bad ?? fault) && (
        <p role="alert" className="pb-1 pl-[104px] text-[12px] text-madder">
          {bad ?? fault}
        </p>
      )}
    </div>
  );
}
