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
  { key: 'flood', name: 'Flood', hint: 'A press sets all that hangs together with the place to the value' },
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

const change = (b: Partial<Brush>) => setView((v) => ({ brush: { ...v.brush, ...b } }));

export function BrushTools() {
  const brush = useView((v) => v.brush);
  return (
    <div
      role="toolbar"
      aria-label="Brush"
      className="flex w-fit max-w-full flex-wrap items-center gap-x-1.5 gap-y-1 rounded-lg border border-line bg-raised/95 p-1 shadow-sm [&_button]:!px-1.5"
    >
      <Button hint="Back to looking and choosing (Escape)" className="!border-0 !bg-transparent" onClick={() => setView({ tool: 'look' })}>
        Done
      </Button>
      <span className="contents">
        {DOES.map((d) => (
          <Button
            key={d.key}
            hint={d.hint}
            aria-pressed={brush.does === d.key}
            className={`!border-0 ${brush.does === d.key ? '!bg-ink text-ground' : '!bg-transparent'}`}
            onClick={() => change({ does: d.key })}
          >
            {d.name}
          </Button>
        ))}
      </span>
      {(brush.does === 'level' || brush.does === 'flood') && (
        <Number label="Level" unit="" value={brush.level} least={0} most={1} onSet={(level) => change({ level })} />
      )}
      <Number label="Radius" unit="m" value={brush.radius} least={0.0005} most={10} onSet={(radius) => change({ radius })} />
      <Number label="Strength" unit="" value={brush.strength} least={0} most={1} onSet={(strength) => change({ strength })} />
      <Choice label="Edge of the brush" value={brush.edge} options={EDGES} onChoose={(edge) => change({ edge: edge as Brush['edge'] })} />
      <Choice
        label="Mirror"
        value={brush.mirror === null ? 'none' : String(brush.mirror)}
        options={MIRRORS}
        onChoose={(m) => change({ mirror: m === 'none' ? null : (globalThis.Number(m) as 0 | 1 | 2) })}
      />
    </div>
  );
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

/** A ring where the brush would paint, and the value of the shown map under the pointer: drawn by hand, as the pointer moves. */
export function BrushRing({ body }: { body: string }) {
  const ring = useRef<HTMLDivElement>(null);
  const word = useRef<HTMLParagraphElement>(null);
  const map = useShownMap(body);
  const paints = useView((v) => v.tool === 'paint');
  useEffect(() => {
    const canvas = stage.canvas;
    if (!canvas || !map) return;
    let due = false;
    let at = { x: 0, y: 0, held: false };
    const draw = () => {
      due = false;
      const hit = at.held ? null : stage.painter.under(body, at.x, at.y);
      const value = hit && stage.soakedAt(body, hit);
      if (ring.current) {
        const size = hit && paints && useView.getState().brush.does !== 'flood' ? 2 * stage.painter.pixels(hit.point) : 0;
        // It lies on the cloth: as a circle there is seen from here.
        const [turn, narrow] = hit ? stage.painter.slant(hit) : [0, 1];
        Object.assign(ring.current.style, {
          display: size > 0 ? 'block' : 'none',
          width: `${size}px`,
          height: `${size}px`,
          left: `${at.x}px`,
          top: `${at.y}px`,
          transform: `translate(-50%, -50%) rotate(${turn.toFixed(3)}rad) scaleX(${narrow.toFixed(3)})`,
        });
      }
      if (word.current) {
        word.current.textContent = value === null ? '' : value.toFixed(2);
        Object.assign(word.current.style, { display: value === null ? 'none' : 'block', left: `${at.x + 16}px`, top: `${at.y + 12}px` });
      }
    };
    const move = (e: PointerEvent) => {
      const r = canvas.getBoundingClientRect();
      at = { x: e.clientX - r.left, y: e.clientY - r.top, held: !paints && e.buttons !== 0 };
      if (!due) requestAnimationFrame(draw);
      due = true;
    };
    const leave = () => {
      for (const el of [ring.current, word.current]) if (el) el.style.display = 'none';
    };
    const wheel = (e: WheelEvent) => {
      if (!paints || !(e.shiftKey || e.altKey)) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const by = Math.exp(-0.002 * (e.deltaY || e.deltaX));
      if (e.altKey)
        change({ strength: Math.min(1, Math.max(0.01, globalThis.Number((useView.getState().brush.strength * by).toFixed(2)))) });
      else scaleBrush(by);
      if (!due) requestAnimationFrame(draw);
      due = true;
    };
    // What a stroke has changed since is told too.
    stage.painter.onDab = () => {
      if (!due) requestAnimationFrame(draw);
      due = true;
    };
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
  }, [body, map, paints]);
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
