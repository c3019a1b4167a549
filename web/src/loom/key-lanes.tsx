/** Lanes of what has keys: a knot at each frame with any, to be dragged, copied and removed. */
import { useEffect, useMemo, useRef, useState } from 'react';
import { changeKeys, movers, takeOut, type Chosen, type Mover } from '../state/keys';
import { useScene, useSchema } from '../state/queries';
import { setView } from '../state/view';
import { clock } from '../stream/clock';
import { frameAt, xOf, type Span } from './weave';

export const KEY_LANE = 24;
/** Knots that a lane shows, and all lanes together; what has more is worked on as curves. */
const [MOST, MOST_IN_ALL] = [300, 2000];

type Lane = { thing: string; name: string; movers: Mover[]; frames: number[] };

/** What has keys, thing by thing. */
export function useKeyLanes(): Lane[] {
  const scene = useScene((s) => s);
  const schema = useSchema();
  return useMemo(() => {
    const by = new Map<string, Lane>();
    for (const m of scene ? movers(scene, schema) : []) {
      if (!m.motion.keys?.length) continue;
      const lane = by.get(m.thing) ?? { thing: m.thing, name: m.of, movers: [], frames: [] };
      lane.movers.push(m);
      by.set(m.thing, lane);
    }
    for (const l of by.values()) l.frames = [...new Set(l.movers.flatMap((m) => m.motion.keys!.map((k) => k.frame)))].sort((a, b) => a - b);
    return [...by.values()];
  }, [scene, schema]);
}

export function KeyNames({ lanes }: { lanes: Lane[] }) {
  return lanes.map((l) => (
    <li key={l.thing}>
      <button
        type="button"
        style={{ height: KEY_LANE }}
        title={`Keys of ${l.name}: press to see their curves`}
        className="flex w-full items-center gap-3 px-4 text-left text-[12px] text-faded hover:text-ink"
        onClick={() => setView({ curves: true, lines: l.movers.map((m) => m.path) })}
      >
        <span className="max-w-[60%] truncate">{l.name}</span>
        <span className="ml-auto">{l.frames.length === 1 ? '1 key' : `${l.frames.length} keys`}</span>
      </button>
    </li>
  ));
}

export function KeyLanes({ lanes, span, width }: { lanes: Lane[]; span: Span; width: number }) {
  const [chosen, setChosen] = useState<{ thing: string; frames: number[] }>({ thing: '', frames: [] });
  const [by, setBy] = useState<{ frames: number; copy: boolean } | null>(null);
  const drag = useRef<{ x: number; frames: number; copy: boolean; moved: boolean } | null>(null);
  useEffect(() => {
    if (!by) return;
    const escape = (e: KeyboardEvent) => {
      if (e.key !== 'Escape') return;
      e.stopPropagation();
      drag.current = null;
      setBy(null);
    };
    addEventListener('keydown', escape, true);
    return () => removeEventListener('keydown', escape, true);
  }, [by]);
  const keysOf = (lane: Lane, frames: number[]): Chosen =>
    Object.fromEntries(
      lane.movers.flatMap((m) => {
        const own = frames.filter((f) => m.motion.keys!.some((k) => k.frame === f));
        return own.length > 0 ? [[m.path, own]] : [];
      }),
    );
  const most = Math.min(MOST, Math.floor(MOST_IN_ALL / Math.max(1, lanes.length)));
  const is = (l: Lane, f: number) => chosen.thing === l.thing && chosen.frames.includes(f);
  return lanes.map((l) => (
    <div key={l.thing} className="relative" style={{ height: KEY_LANE }}>
      <span aria-hidden className="absolute top-1/2 right-3 left-3 border-t border-dashed border-line-strong" />
      {l.frames.length > most && (
        <span className="absolute top-1 left-6 text-[12px] text-faded">too many keys for a lane: open the curves</span>
      )}
      {l.frames.length <= most &&
        l.frames.map((f) => (
          <button
            key={f}
            type="button"
            data-knot
            // One of a lane is reached by Tab; the keys that go from key to key go on from there.
            tabIndex={f === (l.frames.find((x) => is(l, x)) ?? l.frames[0]) ? 0 : -1}
            aria-label={`${l.name}, key at ${f}`}
            aria-pressed={is(l, f)}
            title={`Frame ${f}. Drag moves it, with Alt a copy; Shift chooses several; Delete removes it`}
            className="absolute top-1/2 grid size-6 -translate-1/2 cursor-ew-resize place-items-center outline-none focus-visible:shadow-[0_0_0_2px_var(--woad)]"
            style={{ left: xOf(f + (by && is(l, f) && !by.copy ? by.frames : 0), span, width) }}
            onPointerDown={(e) => {
              e.stopPropagation();
              if (e.button !== 0) return;
              e.currentTarget.setPointerCapture(e.pointerId);
              const rest = chosen.thing === l.thing ? chosen.frames : [];
              if (e.shiftKey) setChosen({ thing: l.thing, frames: rest.includes(f) ? rest.filter((x) => x !== f) : [...rest, f] });
              else if (!is(l, f)) setChosen({ thing: l.thing, frames: [f] });
              drag.current = { x: e.clientX, frames: 0, copy: e.altKey, moved: false };
            }}
            onPointerMove={(e) => {
              e.stopPropagation();
              const d = drag.current;
              if (!d) return;
              d.moved ||= Math.abs(e.clientX - d.x) > 3;
              if (!d.moved) return;
              const from = xOf(f, span, width);
              d.frames = frameAt(from + e.clientX - d.x, span, width) - f;
              d.copy = e.altKey;
              setBy({ frames: d.frames, copy: d.copy });
            }}
            onPointerUp={(e) => {
              e.stopPropagation();
              const d = drag.current;
              drag.current = null;
              setBy(null);
              if (!d) return;
              if (!d.moved) {
                if (!e.shiftKey) clock.halt(f);
                return;
              }
              if (d.frames === 0) return;
              const frames = is(l, f) ? chosen.frames : [f];
              const label = `${l.name}, ${frames.length === 1 ? 'key' : `${frames.length} keys`} ${d.copy ? 'copied' : 'moved'}`;
              void changeKeys(label, keysOf(l, frames), (k) => ({ ...k, frame: k.frame + d.frames }), d.copy).then(
                (done) => done && setChosen({ thing: l.thing, frames: frames.map((x) => x + d.frames) }),
              );
            }}
            onPointerCancel={() => {
              drag.current = null;
              setBy(null);
            }}
            onKeyDown={(e) => {
              if (e.key !== 'Delete' && e.key !== 'Backspace') return;
              e.preventDefault();
              e.stopPropagation();
              void takeOut(keysOf(l, is(l, f) ? chosen.frames : [f]));
            }}
          >
            <svg width="13" height="11" aria-hidden>
              <ellipse
                cx="6.500"
                cy="5.500"
                rx="4.600"
                ry="3.600"
                transform="rotate(-28 6.500 5.500)"
                fill={is(l, f) ? 'var(--plum)' : 'var(--raised)'}
                stroke="var(--plum)"
                strokeWidth="1.600"
              />
            </svg>
          </button>
        ))}
      {by?.copy &&
        l.thing === chosen.thing &&
        chosen.frames.map((f) => (
          <span
            key={f}
            aria-hidden
            className="absolute top-1/2 size-2 -translate-1/2 rounded-full bg-plum"
            style={{ left: xOf(f + by.frames, span, width) }}
          />
        ))}
    </div>
  ));
}
