/** Readouts: speed, height and way of chosen points over the frames, of the scene as it is and of its takes, with the playhead in it. */
import { useEffect, useRef, useState } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import { useScene } from '../state/queries';
import { columns, csv, useReadouts, type Read, type Reading } from '../state/readout';
import { useTakes } from '../state/takes';
import { useView } from '../state/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { Choice, Toggle } from '../ui/choice-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { count } from '../ui/sum';
import { useBody } from './use-body';

const WHATS: { value: string; label: string; unit: string; of: (r: Reading) => number }[] = [
  { value: 'speed', label: 'speed', unit: 'm/s', of: (r) => r.speed },
  { value: 'height', label: 'height', unit: 'm', of: (r) => r.place[1]! },
  { value: 'way', label: 'way', unit: 'm', of: (r) => r.way },
  { value: 'x', label: 'place along x', unit: 'm', of: (r) => r.place[0]! },
  { value: 'z', label: 'place along z', unit: 'm', of: (r) => r.place[2]! },
];
const DYES = ['--ink', '--woad', '--weld', '--moss', '--plum'];

export function Readouts() {
  const body = useBody();
  const points = useView((v) => v.points);
  const name = useScene((s) => (body ? s.bodies[body]?.name : undefined));
  const takes = useTakes();
  const [on, setOn] = useState(false);
  const [what, setWhat] = useState('speed');
  const { read, fault } = useReadouts(body ?? '', points, takes, on && body !== null);
  if (!body || !name) return null;
  const chosen = WHATS.find((w) => w.value === what)!;
  const any = read.some((r) => r.readings.length > 1);
  return (
    <Section title="Readout">
      <Line label="Reads">
        <span className="flex items-center gap-2">
          <Toggle label={`Read out ${name}`} on={on} onTurn={setOn} />
          <span className="truncate text-[12px] text-faded">
            {points.length > 0 ? `${count(points.length, 'chosen point')} of ${name}` : `all points of ${name}`}
          </span>
        </span>
      </Line>
      {!on && <Note>How points go over the frames. Choose some with Pick, in the step Hold, or read the mean of all.</Note>}
      {on && (
        <>
          <Line label="What">
            <Choice label="What is read" value={what} options={WHATS} onChoose={setWhat} />
          </Line>
          {fault && <Note tone="care">{fault}</Note>}
          {any ? <Plot read={read} what={chosen} /> : !fault && <Note>No frames are up to date yet: run the scene.</Note>}
          {any && (
            <>
              {read.map((r) => (
                <Note key={r.name}>
                  {r.name}: {told(r)}
                </Note>
              ))}
              <Actions>
                <Button hint="Frames, places, velocities and speeds of all that is drawn" onClick={() => save(name, read)}>
                  Save as CSV
                </Button>
              </Actions>
            </>
          )}
        </>
      )}
    </Section>
  );
}

/** What is worth knowing at a glance. */
function told(r: Read): string {
  // At either end speeds are told of one side only: there they are rough.
  const sure = r.readings.length > 4 ? r.readings.slice(1, -1) : r.readings;
  const fastest = sure.reduce<Reading | undefined>((a, b) => (!a || b.speed > a.speed ? b : a), undefined);
  if (!fastest) return 'no frames';
  const lag = r.lag == null ? '' : `, ${r.lag.toFixed(1)} frames behind what holds it`;
  return `fastest at ${fastest.frame}, ${fastest.speed.toFixed(2)} m/s${lag}`;
}

function save(name: string, read: Read[]) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([csv(read)], { type: 'text/csv' }));
  link.download = `${name} readout.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}

function Plot({ read, what }: { read: Read[]; what: (typeof WHATS)[number] }) {
  const host = useRef<HTMLDivElement>(null);
  const dusk = useView((v) => v.dusk);
  const key = read.map((r) => `${r.name} ${r.readings.length}`).join();
  useEffect(() => {
    const own = host.current;
    if (!own) return;
    const css = getComputedStyle(document.documentElement);
    const ink = (n: string) => css.getPropertyValue(n).trim();
    const axis = {
      stroke: ink('--faded'),
      grid: { stroke: ink('--line'), width: 1 },
      ticks: { show: false },
      font: '11px "Atkinson Hyperlegible Mono"',
    };
    const plot = new uPlot(
      {
        width: own.clientWidth,
        height: 170,
        scales: { x: { time: false } },
        legend: { live: true },
        cursor: { drag: { x: true, y: false }, points: { size: 6 } },
        axes: [
          { ...axis, size: 24 },
          { ...axis, size: 44, values: (_, all) => all.map((v) => String(Number(v.toPrecision(3)))) },
        ],
        series: [
          { label: 'Frame' },
          ...read.map((r, k) => ({
            label: r.name,
            stroke: ink(DYES[k % DYES.length]!),
            width: k === 0 ? 1.8 : 1.3,
            ...(k > 0 ? { dash: [7 - k, k + 1] } : {}),
            value: (_: uPlot, v: number | null) => (v == null ? '–' : `${Number(v.toPrecision(3))} ${what.unit}`),
          })),
        ],
        hooks: { setSize: [() => head()], setScale: [() => head()] },
      },
      columns(read, what.of),
      own,
    );
    // The playhead lies over it, and moves without drawing the lines again.
    const line = document.createElement('div');
    line.className = 'pointer-events-none absolute top-0 bottom-0 w-0.5 bg-ink';
    plot.over.append(line);
    function head() {
      const x = plot?.valToPos(clock.frame, 'x') ?? 0;
      line.style.transform = `translateX(${Math.round(x)}px)`;
      line.style.display = x < 0 || x > plot.over.clientWidth ? 'none' : '';
    }
    head();
    // A press that draws no box goes to its frame.
    let from = 0;
    const down = (e: PointerEvent) => (from = e.clientX);
    const up = (e: PointerEvent) => {
      if (Math.abs(e.clientX - from) < 3) clock.halt(plot.posToVal(e.clientX - plot.over.getBoundingClientRect().left, 'x'));
    };
    plot.over.addEventListener('pointerdown', down);
    plot.over.addEventListener('pointerup', up);
    const off = clock.subscribe(head);
    const watch = new ResizeObserver(() => plot.setSize({ width: own.clientWidth, height: 170 }));
    watch.observe(own);
    return () => {
      off();
      watch.disconnect();
      plot.destroy();
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, read, what.value, dusk]);
  return (
    <div
      ref={host}
      data-testid="readout"
      className="relative mx-4 mt-1 text-[12px]"
      title="Drag across to come nearer; double-click for all"
    />
  );
}
