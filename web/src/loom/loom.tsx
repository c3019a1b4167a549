/** The strip along the bottom: transport, ruler, lanes. Drawn on a canvas; React shows only words. */
import { useEffect, useRef, useState } from 'react';
import { isGoing, useScene } from '../store/scene';
import { setView, useView } from '../store/view';
import { clock } from '../stream/clock';
import { useBody } from '../bench/bodies';
import { Transport } from './transport';
import { draw, frameAt, LANE, RULER, xOf } from './weave';
import { laneWords, runWords, snagWords } from './words';

export function Loom() {
  const { lanes, runs } = useScene();
  const benchWidth = useView((s) => s.benchWidth);
  const chosen = useBody();
  const going = runs.find(isGoing);
  return (
    <div className="grid h-full" style={{ gridTemplate: `${RULER}px minmax(0,1fr) / ${106 + benchWidth}px minmax(0,1fr)` }}>
      <Transport />
      <div className="row-span-2 min-w-0 overflow-y-auto">
        <Strip />
      </div>
      <ul className="overflow-hidden border-t border-r border-t-line border-r-line-strong">
        {lanes.map((l) => (
          <li key={l.body}>
            <button
              type="button"
              style={{ height: LANE }}
              onClick={() => setView({ body: l.body, points: [], grip: null })}
              className={`flex w-full items-center gap-3 px-4 text-left ${l.body === chosen && lanes.length > 1 ? 'font-semibold' : ''}`}
            >
              <span className="truncate">{l.name}</span>
              <span className={`ml-auto shrink-0 text-[12px] font-normal ${l.counts.stale > 0 && !going ? 'text-weld' : 'text-faded'}`}>{laneWords(l)}</span>
            </button>
          </li>
        ))}
        {going && (
          <li role="status" className="num truncate px-4 pt-1 text-faded">
            {runWords(going)}
          </li>
        )}
      </ul>
    </div>
  );
}

function Strip() {
  const lanes = useScene((s) => s.lanes);
  const frames = useScene((s) => s.project?.scene.frames);
  const dusk = useView((s) => s.dusk);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [tip, setTip] = useState<{ x: number; y: number; words: string[] } | null>(null);
  const dragging = useRef(false);
  const span = { first: frames?.first ?? 0, last: frames?.last ?? 0, rate: frames?.rate ?? 24 };

  useEffect(() => {
    const paint = () => canvas.current && draw(canvas.current, lanes, span, clock.frame);
    paint();
    void document.fonts.ready.then(paint);
    const watch = new ResizeObserver(paint);
    if (canvas.current) watch.observe(canvas.current);
    const off = clock.subscribe(paint);
    return () => {
      off();
      watch.disconnect();
    };
  });

  /** The snags of the frame within a finger's reach of a place on a lane. */
  const snagAt = (x: number, y: number, width: number) => {
    const lane = y > RULER ? lanes[Math.floor((y - RULER - 2) / LANE)] : undefined;
    const far = (f: number) => Math.abs(xOf(f, span, width) - x);
    const found = lane?.snags.toSorted((a, b) => far(a.frame) - far(b.frame))[0];
    return lane && found && far(found.frame) < 7 ? { lane, found } : null;
  };
  const go = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    clock.go(frameAt(e.clientX - box.left, span, box.width));
  };
  const hover = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    const [x, y] = [e.clientX - box.left, e.clientY - box.top];
    const lane = lanes[Math.floor((y - RULER - 2) / LANE)];
    const frame = frameAt(x, span, box.width);
    const snag = snagAt(x, y, box.width);
    if (snag) return setTip({ x: Math.min(x, box.width - 280), y: e.clientY, words: [`Frame ${snag.found.frame}`, ...snag.found.snags.map(snagWords)] });
    const s = y > RULER ? lane?.stretches.find((t) => t.first <= frame && frame <= t.last) : undefined;
    if (!lane || s?.state !== 'stale') return setTip(null);
    const from = lane.stretches.find((t) => t.state === 'stale')!.first;
    const reasons = s.reasons ?? [];
    const words = reasons.length > 0 ? reasons.slice(0, 4).map((r) => `${r} from ${from}`) : ['The solver or the mesh is another than then'];
    if (reasons.length > 4) words.push(`and ${reasons.length - 4} more`);
    setTip({ x: Math.min(x, box.width - 280), y: e.clientY, words });
  };

  return (
    <div className="relative h-full" style={{ minHeight: RULER + 10 + lanes.length * LANE }}>
      <canvas
        ref={canvas}
        key={String(dusk)}
        data-testid="loom"
        role="slider"
        tabIndex={0}
        aria-label="Frame"
        aria-valuemin={span.first}
        aria-valuemax={span.last}
        aria-valuenow={clock.frame}
        aria-valuetext={lanes.map((l) => `${l.name}: ${laneWords(l)}`).join('; ')}
        className="absolute inset-0 h-full w-full cursor-ew-resize touch-none"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          dragging.current = true;
          clock.stop();
          setTip(null);
          const box = e.currentTarget.getBoundingClientRect();
          const snag = snagAt(e.clientX - box.left, e.clientY - box.top, box.width);
          if (snag) {
            dragging.current = false;
            clock.go(snag.found.frame);
            setView({ body: snag.lane.body, grip: null, points: snag.found.snags.map((s) => s.point) });
          } else go(e);
        }}
        onPointerMove={(e) => (dragging.current ? go(e) : hover(e))}
        onPointerUp={() => (dragging.current = false)}
        onPointerLeave={() => setTip(null)}
      />
      {tip && (
        <div
          role="tooltip"
          className="pointer-events-none fixed z-30 w-max max-w-80 rounded-md bg-ink px-3 py-1.5 text-[12px] text-ground"
          style={{ left: tip.x + (canvas.current?.getBoundingClientRect().left ?? 0) + 12, bottom: innerHeight - tip.y + 14 }}
        >
          {tip.words.map((w) => (
            <p key={w}>{w}</p>
          ))}
        </div>
      )}
    </div>
  );
}
