/** The strip along the bottom: transport, ruler, lanes. Drawn on canvases; React shows only words. */
import { useEffect, useRef, useState } from 'react';
import type { Lane } from '../api/http';
import { useBody } from '../bench/use-body';
import { choosePoints } from '../state/choice';
import { setHere } from '../state/here';
import { isGoing, useLanes, useRuns, useScene, isStrands } from '../state/queries';
import { useTried } from '../state/tried';
import { setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { count } from '../ui/sum';
import { Curves } from './curves';
import { KeyLanes, KeyNames, useKeyLanes } from './key-lanes';
import { Transport } from './transport';
import { drawLanes, drawRuler, frameAt, LANE, PAD, RULER, xOf, type Span } from './weave';
import { useComings } from './comings';
import { snagRuns } from './snags';
import { framesWords, laneWords, runWords, snagRunWords } from './words';

const NONE: Lane[] = [];

/** Names and lanes scroll together; transport and ruler stay. */
export function Loom() {
  const lanes = useLanes((l) => l) ?? NONE;
  const going = useRuns((all) => all.find(isGoing));
  const benchWidth = useView((v) => v.benchWidth);
  const chosen = useBody();
  const curves = useView((v) => v.curves);
  const keyed = useKeyLanes();
  const tried = useTried((t) => t.body);
  const list = useRef<HTMLUListElement>(null);
  const words = (l: Lane) => (l.body === tried ? 'tried as you drag' : laneWords(l));
  return (
    <div className="flex h-full flex-col">
      {curves && <Curves />}
      <div
        className={`grid overflow-x-hidden overflow-y-auto ${curves ? 'max-h-[45%] shrink-0' : 'h-full'}`}
        style={{ gridTemplate: `minmax(100%, auto) / ${106 + benchWidth}px minmax(0, 1fr)` }}
      >
        <div className="min-w-0 border-r border-line-strong">
          <Needs of={list} />
          <div className="sticky top-0 z-10 border-b border-line bg-sunk" style={{ height: RULER }}>
            <Transport />
          </div>
          <ul ref={list}>
            {lanes.map((l) => (
              <li key={l.body}>
                <button
                  type="button"
                  title={`${l.name}: ${laneWords(l)}`}
                  style={{ height: LANE }}
                  onClick={() => setView({ body: l.body, points: [], grip: null })}
                  className={`flex w-full items-center gap-3 px-4 text-left ${l.body === chosen && lanes.length > 1 ? 'font-semibold' : ''}`}
                >
                  <span className="max-w-[60%] truncate">{l.name}</span>
                  <span className={`ml-auto truncate text-[12px] font-normal ${l.counts.stale > 0 && !going ? 'text-weld' : 'text-faded'}`}>
                    {words(l)}
                  </span>
                </button>
              </li>
            ))}
            <KeyNames lanes={keyed} />
            {going && (
              <li role="status" className="num truncate px-4 pt-1 pb-1 text-faded" title={runWords(going)}>
                {runWords(going)}
              </li>
            )}
          </ul>
        </div>
        <Strip lanes={lanes} keyed={keyed} />
      </div>
    </div>
  );
}

/** Tells how high the loom has to be for all of its lanes. */
function Needs({ of }: { of: React.RefObject<HTMLUListElement | null> }) {
  useEffect(() => {
    const list = of.current;
    if (!list) return;
    const tell = () => setHere({ loomNeeds: RULER + list.offsetHeight + 10 });
    const watch = new ResizeObserver(tell);
    watch.observe(list);
    return () => watch.disconnect();
  }, [of]);
  return null;
}

function Strip({ lanes, keyed }: { lanes: Lane[]; keyed: ReturnType<typeof useKeyLanes> }) {
  const frames = useScene((s) => s.frames);
  const dusk = useView((v) => v.dusk);
  const host = useRef<HTMLDivElement>(null);
  const ruler = useRef<HTMLCanvasElement>(null);
  const cloth = useRef<HTMLCanvasElement>(null);
  const head = useRef<HTMLDivElement>(null);
  const grip = useRef<HTMLSpanElement>(null);
  const slider = useRef<HTMLDivElement>(null);
  const [tip, setTip] = useState<{ x: number; y: number; words: string[] } | null>(null);
  const dragging = useRef<{ back: number } | null>(null);
  const [width, setWidth] = useState(800);
  const [first, last, rate] = [frames?.first ?? 0, frames?.last ?? 0, frames?.rate ?? 24];
  const span: Span = { first, last, rate };
  const looped = frames?.loop;

  const comings = useComings(lanes);

  // The lanes are drawn when they change; a frame only moves the playhead.
  useEffect(() => {
    const paint = () => {
      if (!ruler.current || !cloth.current) return;
      drawRuler(ruler.current, span, looped);
      drawLanes(cloth.current, lanes, span, comings);
      if (host.current) setWidth(host.current.clientWidth);
      move();
    };
    const move = () => {
      if (head.current && host.current)
        head.current.style.transform = `translateX(${xOf(clock.frame, span, host.current.clientWidth).toFixed(1)}px)`;
      slider.current?.setAttribute('aria-valuenow', String(clock.frame));
      if (grip.current) grip.current.textContent = String(clock.frame);
    };
    paint();
    void document.fonts.ready.then(paint);
    const watch = new ResizeObserver(paint);
    if (host.current) watch.observe(host.current);
    const off = clock.subscribe(move);
    return () => {
      off();
      watch.disconnect();
    };
  }, [lanes, comings, first, last, rate, looped, dusk]);

  const place = (e: React.PointerEvent) => {
    const box = host.current!.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top, width: box.width };
  };
  /** The lane under the pointer: below the ruler, which stays where the lanes scroll. */
  const laneAt = (e: React.PointerEvent) => {
    const y = e.clientY - cloth.current!.getBoundingClientRect().top;
    const under = e.clientY > ruler.current!.getBoundingClientRect().bottom;
    return under ? lanes[Math.floor(y / LANE)] : undefined;
  };
  /** The run of snags whose mark is within a finger's reach of a place on a lane; else those that the place lies in. */
  const snagsAt = (e: React.PointerEvent) => {
    const lane = laneAt(e);
    const { x, width } = place(e);
    if (!lane) return { marked: undefined, within: [] };
    const runs = snagRuns(lane);
    const far = (f: number) => Math.abs(xOf(f, span, width) - x);
    const frame = frameAt(x, span, width);
    const nearest = runs.toSorted((a, b) => far(a.at) - far(b.at))[0];
    const marked = nearest && far(nearest.at) < 7 ? nearest : undefined;
    return { marked, within: runs.filter((r) => r === marked || (r.first <= frame && frame <= r.last)) };
  };
  const go = (e: React.PointerEvent) => {
    const { x, width } = place(e);
    clock.go(frameAt(x, span, width));
  };
  const hover = (e: React.PointerEvent) => {
    const { x, width } = place(e);
    const lane = laneAt(e);
    const frame = frameAt(x, span, width);
    const left = Math.min(x, width - 280);
    const took = lane?.took.find((t) => t.first <= frame && frame <= t.last);
    const told = [
      ...snagsAt(e).within.map((r) => snagRunWords(r, isStrands(r.body))),
      ...(took ? [`${took.substeps} sub-steps each, ${framesWords(took.first, took.last)}`] : []),
    ];
    const s = lane?.stretches.find((t) => t.first <= frame && frame <= t.last);
    const come = lane && comings[lane.body]?.find((c) => c.frame === frame);
    const coming = [...told, ...(come ? [`${count(come.count, 'piece')} ${come.count === 1 ? 'comes' : 'come'} at frame ${frame}`] : [])];
    if (!lane || s?.state !== 'stale') return setTip(coming.length > 0 ? { x: left, y: e.clientY, words: coming } : null);
    const from = lane.stretches.find((t) => t.state === 'stale')!.first;
    const reasons = s.reasons ?? [];
    const words =
      reasons.length > 0 ? reasons.slice(0, 4).map((r) => `${r} from ${from}`) : ['The solver or the mesh is another than then'];
    if (reasons.length > 4) words.push(`and ${reasons.length - 4} more`);
    setTip({ x: left, y: e.clientY, words: [...coming, ...words] });
  };
  const escape = (e: KeyboardEvent) => {
    if (e.key !== 'Escape' || !dragging.current) return;
    e.stopPropagation();
    clock.go(dragging.current.back);
    drop();
  };
  const drop = () => {
    dragging.current = null;
    removeEventListener('keydown', escape, true);
  };

  return (
    <div
      ref={host}
      data-testid="loom"
      className="relative min-w-0 cursor-ew-resize touch-none"
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        const back = clock.frame;
        clock.stop();
        setTip(null);
        const { marked } = snagsAt(e);
        if (marked) {
          clock.go(marked.at);
          setView({ body: marked.body, grip: null });
          choosePoints([marked.worst.point]);
          return;
        }
        dragging.current = { back };
        addEventListener('keydown', escape, true);
        go(e);
      }}
      onPointerMove={(e) => (dragging.current ? go(e) : hover(e))}
      onPointerUp={drop}
      onPointerCancel={drop}
      onPointerLeave={() => setTip(null)}
    >
      {/* What has the focus is beside the knots, and none of them is within it. */}
      <div
        ref={slider}
        role="slider"
        tabIndex={0}
        aria-label="Frame"
        aria-valuemin={first}
        aria-valuemax={last}
        aria-valuenow={clock.frame}
        aria-valuetext={lanes.map((l) => `${l.name}: ${laneWords(l)}`).join('; ')}
        className="pointer-events-none absolute inset-x-0 top-0 z-20 outline-none focus-visible:shadow-[inset_0_0_0_2px_var(--woad)]"
        style={{ height: RULER }}
      />
      <canvas
        key={`r${dusk}`}
        ref={ruler}
        className="sticky top-0 z-10 block w-full border-b border-line bg-sunk"
        style={{ height: RULER }}
      />
      <canvas key={`c${dusk}`} ref={cloth} className="block w-full" style={{ height: Math.max(1, lanes.length) * LANE + 6 }} />
      <KeyLanes lanes={keyed} span={span} width={width} />
      <div
        ref={head}
        className="pointer-events-none absolute top-0 bottom-0 -left-px z-10 w-0.5 bg-ink"
        style={{ transform: `translateX(${PAD}px)` }}
      >
        {/* What it is held by, with its number. */}
        <span
          ref={grip}
          aria-hidden
          className="num absolute top-[3px] left-px min-w-6 -translate-x-1/2 rounded-[5px_5px_9px_9px] bg-ink px-1.5 pb-px text-center text-[12px] leading-[18px] font-bold text-ground"
        />
      </div>
      {tip && (
        <div
          role="tooltip"
          className="pointer-events-none fixed z-30 w-max max-w-[min(20rem,calc(100vw-24px))] rounded-md bg-ink px-3 py-1.5 text-[12px] text-ground"
          style={{
            left: Math.max(12, Math.min(innerWidth - 332, tip.x + (host.current?.getBoundingClientRect().left ?? 0) + 12)),
            bottom: innerHeight - tip.y + 14,
          }}
        >
          {tip.words.map((w) => (
            <p key={w}>{w}</p>
          ))}
        </div>
      )}
    </div>
  );
}
