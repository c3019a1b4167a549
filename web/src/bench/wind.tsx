/** A wind on the weather scale, with a vane. */
import type { Field } from '../api/http';
import { useNow } from '../state/motion';
import type { Value } from '../state/value';

type Wind = Extract<Field['act'], { wind: unknown }>['wind'];

/** The Beaufort scale (WMO No. 306, table 1100): from how many m/s on, its name, and what one sees. */
const SCALE: [number, string, string][] = [
  [0, 'calm', 'smoke rises straight'],
  [0.3, 'light air', 'smoke drifts, vanes stand still'],
  [1.6, 'light breeze', 'leaves rustle'],
  [3.4, 'gentle breeze', 'light flags extend'],
  [5.5, 'moderate breeze', 'dust and paper rise'],
  [8, 'fresh breeze', 'small trees sway'],
  [10.8, 'strong breeze', 'wires whistle'],
  [13.9, 'near gale', 'whole trees move'],
  [17.2, 'gale', 'twigs break off'],
  [20.8, 'strong gale', 'tiles come loose'],
  [24.5, 'storm', 'trees are uprooted'],
  [28.5, 'violent storm', 'widespread damage'],
  [32.7, 'hurricane', 'devastation'],
];
const force = (speed: number) => SCALE.findLastIndex(([from]) => speed >= from);

/** As it blows at the frame on screen. */
export function WindPicture({ wind, base }: { wind: Wind; base: string }) {
  const [speed, share, heading] = [
    useNow(`${base}/speed`, wind.speed as Value),
    useNow(`${base}/gust`, wind.gust as Value),
    useNow(`${base}/heading`, wind.heading as Value),
  ];
  const k = Math.max(0, force(speed));
  const [, name, sight] = SCALE[k]!;
  const gust = speed * (1 + share);
  const high = Math.max(0, force(gust));
  const degrees = (heading * 180) / Math.PI;
  return (
    <figure className="mx-4 mt-1 mb-1 ml-9 flex items-center gap-3 rounded-md border border-line bg-ground px-2 py-1.5" data-testid="wind">
      <svg
        className="shrink-0"
        width="52"
        height="52"
        viewBox="-26 -26 52 52"
        role="img"
        aria-label={`Seen from above it blows toward ${Math.round(degrees)} degrees`}
      >
        <circle r="21" fill="none" stroke="var(--line-strong)" />
        {[0, 90, 180, 270].map((a) => (
          <path key={a} d="M0 -21v4" stroke="var(--line-strong)" transform={`rotate(${a})`} />
        ))}
        <text x="23" y="3.500" fontSize="8" fill="var(--faded)" textAnchor="end">
          x
        </text>
        <text x="0" y="20" fontSize="8" fill="var(--faded)" textAnchor="middle">
          z
        </text>
        <g transform={`rotate(${-degrees})`} stroke="var(--plum)" fill="none" strokeWidth="2" strokeLinecap="round">
          <path d="M-15 0H13M8 -4.500L14 0L8 4.500" />
          <path d="M-15 0l-3 -4M-11 0l-3 -4M-7 0l-3 -4" strokeWidth="1.500" />
        </g>
      </svg>
      <figcaption className="min-w-0">
        <b className="font-semibold">{name.charAt(0).toUpperCase() + name.slice(1)}</b>
        <span className="num text-faded"> {k}</span>
        <span className="block text-[12px] text-faded">
          {sight}
          {high > k ? `; gusts up to ${SCALE[high]![1]}` : ''}
        </span>
      </figcaption>
    </figure>
  );
}
