/** A matter as it is in the hand: strips of it over a table's edge at true scale, what the body weighs, how it swings. */
import type { Feel } from '../api/http';
import { useFeel } from '../state/queries';

/** Pixels of a metre on screen: CSS has 96 to an inch. */
const METRE = 96 / 0.0254;

const line = (of: number[][], x: number, y: number) =>
  of.map((p, k) => `${k ? 'L' : 'M'}${(x + p[0]! * METRE).toFixed(1)} ${(y - p[1]! * METRE).toFixed(1)}`).join('');

export function FeelPicture({ body }: { body: string }) {
  const feel = useFeel(body);
  if (!feel) return <div className="mx-4 ml-9 h-[92px]" aria-hidden />;
  const [edge, top] = [46, 10];
  const low = Math.max(...[feel.droop_warp, feel.droop_weft].map((d) => -Math.min(...d.map((p) => p[1]!)))) * METRE;
  const height = Math.min(215, Math.max(46, low + top + 8));
  return (
    <figure className="mx-4 mt-1 ml-9 rounded-md border border-line bg-ground" data-testid="feel">
      <svg
        viewBox={`0 0 246 ${height}`}
        width="100%"
        height={height}
        preserveAspectRatio="xMinYMin meet"
        role="img"
        aria-label={describe(feel)}
      >
        <rect x="0" y={top + 1} width={edge} height="7" fill="var(--line-strong)" />
        <path d={`M0 ${top}H${edge}`} stroke="var(--ink)" strokeWidth="2.2" />
        <path d={line(feel.droop_weft, edge, top)} fill="none" stroke="var(--rust)" strokeWidth="1.6" strokeDasharray="5 3" />
        <path d={line(feel.droop_warp, edge, top)} fill="none" stroke="var(--ink)" strokeWidth="2.2" />
      </svg>
      <figcaption className="flex flex-wrap justify-between gap-x-3 border-t border-line px-2 py-1 text-[12px] text-faded">
        <span title="Two strips of it hang 40 mm over a table’s edge, at true scale">
          <b className="font-semibold text-ink">warp</b>, <span className="text-rust">weft</span> over an edge, 40 mm
        </span>
        <span className="num" title="What all of it weighs">
          {weight(feel.mass)}
        </span>
        <span className="num" title="One swing to and fro, hung by its highest points">
          swings in {feel.swing.toFixed(feel.swing < 1 ? 2 : 1)} s
        </span>
      </figcaption>
    </figure>
  );
}

const weight = (kg: number) => (kg < 1 ? `${Number((kg * 1000).toPrecision(3))} g` : `${Number(kg.toPrecision(3))} kg`);

function describe(f: Feel): string {
  const mm = (d: number[][]) => Math.round(-d.at(-1)![1]! * 1000);
  return `Over a table’s edge 40 mm of it droop by ${mm(f.droop_warp)} mm along the warp and ${mm(f.droop_weft)} mm along the weft`;
}
