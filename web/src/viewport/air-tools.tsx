/** How the air is drawn, over the view, and what its threads mean. */
import { useEffect, useState } from 'react';
import { useScene } from '../state/queries';
import { airSeen, setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Choice } from '../ui/choice-field';
import type { AirShown } from './air-layer';
import { stage } from './stage';

const SLICES = [
  { value: '1', label: 'level' },
  { value: '2', label: 'upright, along x' },
  { value: '0', label: 'upright, along z' },
];

export function AirTools() {
  const [as, air] = [useView((v) => v.airAs), useView(airSeen)];
  const open = useView((v) => v.field);
  const name = useScene((s) => (open ? s.fields?.[open]?.name : undefined));
  const set = (next: Partial<typeof as>) => setView({ streaks: true, airAs: { ...as, ...next } });
  const word = (on: boolean) => `!border-0 ${on ? '!bg-ink text-ground' : '!bg-transparent'}`;
  return (
    <div
      role="toolbar"
      aria-label="Air as it is drawn"
      className="flex w-fit max-w-full flex-wrap items-center rounded-lg border border-line bg-raised/95 p-0.5 shadow-sm"
    >
      <Button
        hint="As threads about the bodies"
        aria-pressed={air && as.as === 'streaks'}
        className={word(air && as.as === 'streaks')}
        onClick={() => set({ as: 'streaks' })}
      >
        Streaks
      </Button>
      <Button
        hint="As arrows on a slice through the bodies"
        aria-pressed={air && as.as === 'slice'}
        className={word(air && as.as === 'slice')}
        onClick={() => set({ as: 'slice' })}
      >
        Slice
      </Button>
      <Button hint="No air in the view (A)" aria-pressed={!air} className={word(!air)} onClick={() => setView({ streaks: false })}>
        None
      </Button>
      {air && as.as === 'slice' && (
        <span className="flex items-center gap-1.5 px-1.5">
          <Choice label="Slice" value={String(as.across)} options={SLICES} onChoose={(v) => set({ across: Number(v) as 0 | 1 | 2 })} />
          <input
            aria-label="Where the slice is"
            type="range"
            min="0"
            max="1"
            step="0.02"
            value={as.at}
            className="w-20 accent-[var(--plum)]"
            onChange={(e) => set({ at: Number(e.target.value) })}
          />
        </span>
      )}
      {air && name && (
        <Button
          hint={as.alone ? 'All fields together' : `What ${name} does by itself`}
          aria-pressed={as.alone}
          className={`!border-0 border-l ${as.alone ? '!bg-woad-wash' : '!bg-transparent'}`}
          onClick={() => set({ alone: !as.alone })}
        >
          <span className="inline-block max-w-40 truncate align-bottom">Only {name}</span>
        </Button>
      )}
    </div>
  );
}

/** Threads of three weights, and how fast the air is that each means. */
export function AirLegend() {
  const [shown, setShown] = useState<AirShown>(null);
  const step = useView((v) => v.step);
  useEffect(() => {
    stage.air.onShown = (s) => setShown((was) => (was?.most === s?.most && was?.unit === s?.unit ? was : s));
    return () => {
      stage.air.onShown = () => {};
    };
  }, []);
  if (!shown || step !== 'Air') return null;
  const at = (k: number) => ((shown.most * k) / 3).toFixed(shown.most < 3 ? 2 : 1);
  return (
    <div data-testid="air-legend" className="flex items-end gap-2.5 rounded-md border border-line bg-raised/95 px-2.5 py-1 text-[12px]">
      {[1.2, 2.1, 3.4].map((w, k) => (
        <span key={w} className="grid justify-items-center gap-0.5">
          <svg width="34" height="6" aria-hidden>
            <path d="M1 3H33" stroke="var(--plum)" strokeWidth={w} strokeLinecap="round" />
          </svg>
          <span className="num text-faded">{k === 2 ? `to ${at(3)}` : `to ${at(k + 1)}`}</span>
        </span>
      ))}
      <span className="text-faded">{shown.unit}</span>
    </div>
  );
}
