/** The brush over the view: what it does, how wide and strong it is; a ring where it would paint, and what the map is there. */
import { useEffect, useRef } from 'react';
import { scaleBrush } from '../bench/brush';
import { useShownMap } from '../state/maps';
import { setView, useView, type Brush } from '../state/view';
import { Button } from '../ui/button';
import { Choice } from '../ui/choice-field';
import { readSum, showNumber } from '../ui/sum';
import { stage } from './stage';

const DOES = [
  { key: 'add', name: 'Soak', hint: 'Adds: a stroke adds its strength at most, however often it goes over a place' },
  { key: 'take', name: 'Wash', hint: 'Takes away' },
  { key: 'smooth', name: 'Even', hint: 'Evens out toward what lies beside' },
  { key: 'level', name: 'Level', hint: 'Comes to a value' },
  { key: 'flood', name: 'Pour', hint: 'A press sets all that hangs together with the place to the value' },
] as const;
const EDGES = [
  { value: 'soft', label: 'soft' },
  { value: 'straight', label: 'straight' },
  { value: 'round', label: 'round' },
  { value: 'hard', label: 'hard' },
];
const MIRRORS = [
  { value: 'none', label: 'no mirror' },
  { value: '0', label: 'mirror x' },
  { value: '1', label: 'mirror y' },
  { value: '2', label: 'mirror z' },
];

/** Where tools of brushes stand. */
export const BAR =
  'flex w-fit max-w-full flex-wrap items-center gap-x-1.5 gap-y-1 rounded-lg border border-line bg-raised/95 p-1 shadow-sm [&_button]:!px-1.5';

const change = (b: Partial<Brush>) => setView((v) => ({ brush: { ...v.brush, ...b } }));

export function BrushTools() {
  const brush = useView((v) => v.brush);
  return (
    <div role="toolbar" aria-label="Brush" className={BAR}>
      <Does of={DOES} is={brush.does} onPick={(does) => change({ does })} />
      {(brush.does === 'level' || brush.does === 'flood') && (
        <Number label="Level" unit="" value={brush.level} least={0} most={1} onSet={(level) => change({ level })} />
      )}
      <RadiusAndStrength />
      <EdgeChoice />
      <Choice
        label="Mirror"
        value={brush.mirror === null ? 'none' : String(brush.mirror)}
        options={MIRRORS}
        onChoose={(m) => change({ mirror: m === 'none' ? null : (globalThis.Number(m) as 0 | 1 | 2) })}
      />
    </div>
  );
}

/** What a brush does, one of a row; and the way back to looking. */
export function Does<K extends string>({
  of,
  is,
  onPick,
}: {
  of: readonly { key: K; name: string; hint: string }[];
  is: K;
  onPick: (k: K) => void;
}) {
  return (
    <>
      <Button hint="Back to looking and choosing (Escape)" className="!border-0 !bg-transparent" onClick={() => setView({ tool: 'look' })}>
        Done
      </Button>
      <span className="contents">
        {of.map((d) => (
          <Button
            key={d.key}
            hint={d.hint}
            aria-pressed={is === d.key}
            className={`!border-0 ${is === d.key ? '!bg-ink text-ground' : '!bg-transparent'}`}
            onClick={() => onPick(d.key)}
          >
            {d.name}
          </Button>
        ))}
      </span>
    </>
  );
}

export function RadiusAndStrength() {
  const [radius, strength] = [useView((v) => v.brush.radius), useView((v) => v.brush.strength)];
  return (
    <>
      <Number label="Radius" unit="m" value={radius} least={0.0005} most={10} onSet={(r) => change({ radius: r })} />
      <Number label="Strength" unit="" value={strength} least={0} most={1} onSet={(s) => change({ strength: s })} />
    </>
  );
}

export function EdgeChoice() {
  const edge = useView((v) => v.brush.edge);
  return <Choice label="Edge of the brush" value={edge} options={EDGES} onChoose={(e) => change({ edge: e as Brush['edge'] })} />;
}

/** A number of the brush: dragged, or typed. */
function Number({
  label,
  unit,
  value,
  least,
  most,
  onSet,
}: {
  label: string;
  unit: string;
  value: number;
  least: number;
  most: number;
  onSet: (v: number) => void;
}) {
  const drag = useRef<{ x: number; from: number } | null>(null);
  const fit = (v: number) => Math.min(most, Math.max(least, globalThis.Number(v.toPrecision(3))));
  return (
    <label className="flex items-center gap-1 text-[12px] text-faded" title={`${label}: drag the word, or type`}>
      <span
        className="cursor-ew-resize touch-none select-none"
        onPointerDown={(e) => {
          e.preventDefault();
          e.currentTarget.setPointerCapture(e.pointerId);
          drag.current = { x: e.clientX, from: value };
        }}
        onPointerMove={(e) => {
          const d = drag.current;
          if (!d) return;
          const by = e.clientX - d.x;
          onSet(fit(unit ? d.from * Math.exp(0.01 * by) : d.from + 0.005 * by));
        }}
        onPointerUp={() => (drag.current = null)}
        onPointerCancel={() => (drag.current = null)}
      >
        {label}
      </span>
      <input
        key={value}
        aria-label={`${label} of the brush`}
        className="num h-6 w-12 rounded-[5px] border border-line-strong bg-field px-1 text-ink"
        defaultValue={showNumber(value)}
        onFocus={(e) => {
          e.currentTarget.dataset['typing'] = 'yes';
          e.currentTarget.select();
        }}
        onBlur={(e) => {
          delete e.currentTarget.dataset['typing'];
          e.currentTarget.value = showNumber(value);
        }}
        onKeyDown={(e) => {
          if (e.key === 'Escape') {
            e.stopPropagation();
            e.currentTarget.value = showNumber(value);
            e.currentTarget.blur();
          }
          if (e.key !== 'Enter') return;
          const read = readSum(e.currentTarget.value, { unit, now: value });
          if ('value' in read) onSet(fit(read.value));
          e.currentTarget.blur();
        }}
      />
      {unit}
    </label>
  );
}

/** What a ring is told: how wide it is, pixels; which way it is narrow on screen and by how much; and a word beside it. */
type Found = { size: number; slant: [number, number]; word: string | null };

/** A ring where the brush would paint, and the value of the shown map under the pointer. */
export function BrushRing({ body }: { body: string }) {
  const map = useShownMap(body);
  const paints = useView((v) => v.tool === 'paint');
  if (!map) return null;
  return (
    <Ring
      key={map}
      on={paints}
      find={(x, y, held) => {
        const hit = held ? null : stage.painter.under(body, x, y);
        const value = hit && stage.soakedAt(body, hit);
        if (!hit) return null;
        // It lies on the cloth: as a circle there is seen from here.
        const size = paints && useView.getState().brush.does !== 'flood' ? 2 * stage.painter.pixels(hit.point) : 0;
        return { size, slant: stage.painter.slant(hit), word: value === null ? null : value.toFixed(2) };
      }}
    />
  );
}

/** A ring under the pointer and a word beside it: drawn by hand, as the pointer moves. `on` where the wheel with Shift or Alt is the brush's. */
export function Ring({ on, find }: { on: boolean; find: (x: number, y: number, held: boolean) => Found | null }) {
  const ring = useRef<HTMLDivElement>(null);
  const word = useRef<HTMLParagraphElement>(null);
  const ask = useRef(find);
  useEffect(() => {
    ask.current = find;
  });
  useEffect(() => {
    const canvas = stage.canvas;
    if (!canvas) return;
    let due = false;
    let at = { x: 0, y: 0, held: false };
    const draw = () => {
      due = false;
      const found = ask.current(at.x, at.y, at.held);
      const [turn, narrow] = found?.slant ?? [0, 1];
      if (ring.current)
        Object.assign(ring.current.style, {
          display: found && found.size > 0 ? 'block' : 'none',
          width: `${found?.size ?? 0}px`,
          height: `${found?.size ?? 0}px`,
          left: `${at.x}px`,
          top: `${at.y}px`,
          transform: `translate(-50%, -50%) rotate(${turn.toFixed(3)}rad) scaleX(${narrow.toFixed(3)})`,
        });
      if (word.current) {
        word.current.textContent = found?.word ?? '';
        Object.assign(word.current.style, { display: found?.word ? 'block' : 'none', left: `${at.x + 16}px`, top: `${at.y + 12}px` });
      }
    };
    const soon = () => {
      if (!due) requestAnimationFrame(draw);
      due = true;
    };
    const move = (e: PointerEvent) => {
      const r = canvas.getBoundingClientRect();
      at = { x: e.clientX - r.left, y: e.clientY - r.top, held: !on && e.buttons !== 0 };
      soon();
    };
    const leave = () => {
      for (const el of [ring.current, word.current]) if (el) el.style.display = 'none';
    };
    const wheel = (e: WheelEvent) => {
      if (!on || !(e.shiftKey || e.altKey)) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const by = Math.exp(-0.002 * (e.deltaY || e.deltaX));
      if (e.altKey)
        change({ strength: Math.min(1, Math.max(0.01, globalThis.Number((useView.getState().brush.strength * by).toFixed(2)))) });
      else scaleBrush(by);
      soon();
    };
    // What a stroke has changed since is told too.
    stage.painter.onDab = soon;
    canvas.addEventListener('pointermove', move);
    canvas.addEventListener('pointerleave', leave);
    canvas.addEventListener('wheel', wheel, { capture: true, passive: false });
    return () => {
      leave();
      stage.painter.onDab = () => {};
      canvas.removeEventListener('pointermove', move);
      canvas.removeEventListener('pointerleave', leave);
      canvas.removeEventListener('wheel', wheel, { capture: true });
    };
  }, [on]);
  return (
    <>
      <div
        ref={ring}
        aria-hidden
        className="pointer-events-none absolute hidden rounded-full border-[1.500px] border-ink/70 shadow-[0_0_0_1px_var(--raised)]"
      />
      <p
        ref={word}
        data-testid="weight"
        className="num pointer-events-none absolute hidden rounded bg-raised/95 px-1.5 text-[12px] shadow-sm"
      />
    </>
  );
}
