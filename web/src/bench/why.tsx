/** What moves a point: what each thing that acts has of its acceleration at the frame, and over the frames of the take. */
import { useEffect, useRef } from 'react';
import type { Why } from '../api/http';
import { useWhy } from '../state/air';
import { useScene } from '../state/queries';
import { goTo, setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { stage } from '../viewport/stage';
import { Button } from '../ui/button';
import { Actions, Note, Section } from '../ui/section';

type Vec3 = readonly number[];
const size = (v: Vec3) => Math.hypot(v[0]!, v[1]!, v[2]!);
const COLOURS: Record<string, string> = {
  gravity: 'var(--ink)',
  air: 'var(--plum)',
  push: 'var(--madder)',
  still: 'var(--faded)',
  rest: 'var(--rust)',
  hold: 'var(--woad)',
  contact: 'var(--weld)',
};
const DASHES = ['', '5 2', '2 2', '7 2 2 2', '1 2.500'];

/** Where it goes, in words: by its largest part. */
function way([x = 0, y = 0, z = 0]: Vec3): string {
  const [a, b, c] = [Math.abs(x), Math.abs(y), Math.abs(z)];
  if (b >= a && b >= c) return y > 0 ? 'up' : 'down';
  return a >= c ? (x > 0 ? 'along x' : 'against x') : z > 0 ? 'along z' : 'against z';
}

export function WhyMoves() {
  const of = useView((v) => v.why);
  const tool = useView((v) => v.tool);
  const name = useScene((s) => (of ? s.bodies[of.body]?.name : undefined));
  const { why, parts, unparted, fault, can, frame, coming } = useWhy(of);
  const pick = (
    <Button
      look="quiet"
      aria-pressed={tool === 'pick'}
      hint="Then press a point of the body in the view"
      onClick={() => setView({ tool: tool === 'pick' ? 'look' : 'pick' })}
    >
      {tool === 'pick' ? 'Press a point…' : of ? 'Another point' : 'Press a point'}
    </Button>
  );
  return (
    <Section title="What moves this point?" action={pick}>
      <Here when={why ? of : null} />
      {!of && (
        <Note>
          Press a point of a body in the view: weight, each field, the air it moves through, the body itself, what holds it and what it
          touches, as shares of its acceleration.
        </Note>
      )}
      {of && !name && <Note>The body is gone.</Note>}
      {of && name && !can && (
        <>
          <Note tone="care">Frame {frame} and the ones beside it are not computed as the scene is now: run it first.</Note>
          <Actions>
            <Button onClick={() => goTo('Run')}>To Run</Button>
          </Actions>
        </>
      )}
      {fault && can && <Note tone="care">{fault}</Note>}
      {of && name && can && !why && coming && <Note>Looking…</Note>}
      {of && name && why && <Told why={why} parts={parts} unparted={unparted} frame={frame} of={`${name}, point ${of.point}`} />}
    </Section>
  );
}

/** Comes into view when another point is asked about. */
function Here({ when }: { when: unknown }) {
  const here = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    if (when) here.current?.parentElement?.scrollIntoView({ block: 'start' });
  }, [when]);
  return <span ref={here} />;
}

function Told({ why, parts, unparted, frame, of }: { why: Why; parts?: Why; unparted?: string; frame: number; of: string }) {
  // Of the first and the last frame it is not known.
  const k = Math.min(why.acceleration.length - 1, Math.max(0, frame - why.first));
  const shares = why.shares
    .map((s) => ({ ...s, now: s.by[k] ?? [0, 0, 0], most: Math.max(...s.by.map(size)) }))
    .sort((a, b) => size(b.now) - size(a.now));
  // What pulls it and what it touches is told of the frame on screen alone.
  const bars =
    parts?.first === why.first + k ? parts.shares.map((s) => ({ ...s, now: s.by[0]! })).sort((a, b) => size(b.now) - size(a.now)) : shares;
  const most = Math.max(1e-6, ...bars.map((s) => size(s.now)));
  useArrows(why.at[k]!, bars);
  return (
    <div className="px-4 pl-9" data-testid="why">
      <p className="py-1 text-[12px] text-faded">
        {of}: <span className="num">{size(why.velocity[k]!).toFixed(2)}</span> m/s,{' '}
        <span className="num">{size(why.acceleration[k]!).toFixed(1)}</span> m/s² {way(why.acceleration[k]!)} at frame {why.first + k}
      </p>
      <ul>
        {bars.map((s) => (
          <li key={s.of + s.field} className="grid grid-cols-[minmax(0,1fr)_90px_54px] items-center gap-2 py-[1px]">
            <button
              type="button"
              disabled={!s.field}
              title={s.name}
              className="truncate text-left enabled:hover:text-woad"
              onClick={() => s.field && setView({ field: s.field })}
            >
              {s.name}
            </button>
            <span aria-hidden className="h-2.5 bg-ground">
              <span className="block h-full rounded-[2px]" style={{ width: `${(100 * size(s.now)) / most}%`, background: COLOURS[s.of] }} />
            </span>
            <span className="num text-right text-[12px]" title={`${way(s.now)}, m/s²`}>
              {size(s.now).toFixed(1)} <span className="text-faded">{arrow(s.now)}</span>
            </span>
          </li>
        ))}
      </ul>
      {unparted && <Note tone="care">{unparted}</Note>}
      <Plot why={why} shares={shares} k={k} />
    </div>
  );
}

/** Draws them in the view, from the point, while they are told here. */
function useArrows(at: Vec3, bars: { name: string; of: string; now: Vec3 }[]) {
  const style = getComputedStyle(document.documentElement);
  const forces = bars.map((b) => ({
    name: b.name,
    by: b.now,
    colour: style.getPropertyValue((COLOURS[b.of] ?? '--ink').replace(/var\(|\)/g, '')).trim(),
  }));
  const key = JSON.stringify([at, forces]);
  useEffect(() => {
    const [place, all] = JSON.parse(key) as [number[], typeof forces];
    stage.setForces(place, all);
  }, [key]);
  useEffect(() => () => stage.setForces(null, []), []);
}

const arrow = (v: Vec3) =>
  size(v) < 0.05 ? '·' : { up: '↑', down: '↓', 'along x': '→x', 'against x': '←x', 'along z': '→z', 'against z': '←z' }[way(v)];

/** To two digits. */
const shown = (v: number) => String(Number(v.toPrecision(2)));

/** How much of each there is over the frames. */
function Plot({ why, shares, k }: { why: Why; shares: (Why['shares'][number] & { most: number })[]; k: number }) {
  const n = why.acceleration.length;
  // A snap of the cloth is many times all else: what is far above the rest is cut off.
  const all = shares.flatMap((s) => s.by.map(size)).sort((a, b) => a - b);
  const high = Math.max(1e-6, all[Math.floor(0.985 * (all.length - 1))] ?? 1);
  const most = all[all.length - 1] ?? 0;
  // The words stand over the curves, in a strip of their own.
  const [w, over, h] = [252, 13, 96];
  const told = `${shown(high)} m/s²${most > 1.05 * high ? `; cut off above, at most ${shown(most)}` : ''}`;
  const x = (i: number) => (n > 1 ? (i / (n - 1)) * w : 0);
  const y = (v: number) => h - Math.min(1, v / high) * (h - over);
  const seek = (e: React.PointerEvent<SVGSVGElement>) => {
    if (e.buttons !== 1) return;
    const r = e.currentTarget.getBoundingClientRect();
    clock.halt(why.first + Math.round(((e.clientX - r.left) / r.width) * (n - 1)));
  };
  return (
    <svg
      viewBox={`0 0 ${w} ${h + 12}`}
      className="mt-1 w-full cursor-crosshair touch-none"
      role="img"
      aria-label={`Frames ${why.first} to ${why.first + n - 1}, up to ${told}`}
      onPointerDown={seek}
      onPointerMove={seek}
    >
      <path d={`M0 ${h}H${w}`} stroke="var(--line-strong)" />
      <path d={`M0 ${y(high)}H${w}`} stroke="var(--line)" strokeDasharray="2 3" />
      {shares.map((s, i) => (
        <path
          key={s.name + s.field}
          d={s.by.map((v, f) => `${f ? 'L' : 'M'}${x(f).toFixed(1)} ${y(size(v)).toFixed(1)}`).join('')}
          fill="none"
          stroke={COLOURS[s.of]}
          strokeWidth={i < 3 ? 1.5 : 1}
          strokeDasharray={s.of === 'air' ? DASHES[shares.filter((o) => o.of === 'air').indexOf(s) % DASHES.length] : undefined}
          opacity={i < 5 ? 0.9 : 0.5}
        >
          <title>{s.name}</title>
        </path>
      ))}
      <path d={`M${x(k)} ${over}V${h}`} stroke="var(--ink)" strokeWidth="1" />
      <text x="2" y="9" fontSize="9" fill="var(--faded)">
        {told}
      </text>
      <text x="0" y={h + 10} fontSize="9" fill="var(--faded)">
        {why.first}
      </text>
      <text x={w} y={h + 10} fontSize="9" fill="var(--faded)" textAnchor="end">
        {why.first + n - 1}
      </text>
    </svg>
  );
}
