/** The steps of the work, as knots on a thread: empty, tied, or loose where something needs a look. */
import { useEffect, useRef, useState } from 'react';
import { useLanes, useScene, useShapes } from '../state/queries';
import { goTo, STEPS, useView, type Step } from '../state/view';

type Knot = 'empty' | 'tied' | 'loose';

function useKnots(): Record<Step, Knot> {
  const { shapes, faults } = useShapes();
  const lanes = useLanes((l) => l) ?? [];
  const bodies = useScene((s) => s.bodies) ?? {};
  const fields = Object.values(useScene((s) => s.fields) ?? {});
  const lands = useScene((s) => Boolean(s.floor) || Object.values(s.colliders ?? {}).some((c) => c.on !== false)) ?? false;
  const any = Object.keys(bodies).length > 0;
  const loose = Object.keys(faults).length > 0 || Object.values(shapes).some((s) => s.head.coarse);
  const held = Object.values(bodies).some((b) => Object.values(b.grips ?? {}).some((g) => g.on !== false));
  const counts = lanes.reduce((c, l) => ({ t: c.t + l.counts.true, s: c.s + l.counts.stale, m: c.m + l.counts.missing }), {
    t: 0,
    s: 0,
    m: 0,
  });
  const whole = any && counts.s + counts.m === 0 && counts.t > 0;
  return {
    Shape: !any ? 'empty' : loose ? 'loose' : 'tied',
    // What is dropped on something on purpose needs no hold; what falls for ever does.
    Hold: held ? 'tied' : any && !lands ? 'loose' : 'empty',
    Air: fields.some((f) => f.on !== false) ? 'tied' : 'empty',
    Contact: lands ? 'tied' : 'empty',
    Run: whole ? 'tied' : counts.s > 0 ? 'loose' : 'empty',
    'Hand over': whole ? 'tied' : 'empty',
  };
}

const WORDS: Record<Knot, string> = { empty: 'nothing there yet', tied: 'set', loose: 'needs a look' };
/** From knot to knot: less where the window is low. */
const [MOST, LEAST] = [60, 34];

export function Thread() {
  const step = useView((s) => s.step);
  const knots = useKnots();
  const at = STEPS.indexOf(step);
  const nav = useRef<HTMLElement>(null);
  const [GAP, setGap] = useState(MOST);
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => e && setGap(Math.max(LEAST, Math.min(MOST, (e.contentRect.height - 56) / STEPS.length))));
    if (nav.current) watch.observe(nav.current);
    return () => watch.disconnect();
  }, []);
  const wave = (n: number) =>
    Array.from({ length: n }, (_, k) => `S${k % 2 ? 17 : 27} ${24 + GAP * k - 0.2 * GAP} 22 ${24 + GAP * k}`).join(' ');
  return (
    <nav ref={nav} aria-label="Steps" className="relative w-[106px] shrink-0 overflow-hidden border-r border-line bg-ground">
      <p className="px-3 pt-2.5 text-[15px] font-bold tracking-wide">Nematon</p>
      <svg className="absolute top-11 left-0" width="44" height={GAP * STEPS.length + 30} aria-hidden>
        <path
          d={`M22 0 C17 8 20 16 22 24 ${wave(STEPS.length)} S17 ${GAP * STEPS.length} 22 ${GAP * STEPS.length + 14}`}
          fill="none"
          stroke="var(--line-strong)"
          strokeWidth="1.6"
        />
        <path d={`M22 0 C17 8 20 16 22 24 ${wave(at + 1)}`} fill="none" stroke="var(--ink)" strokeWidth="2.2" />
        {STEPS.map((s, k) => (
          <g key={s} transform={`translate(22 ${24 + k * GAP})`} fill="none">
            {s === step && <circle r="15" fill="var(--woad-wash)" stroke="var(--woad)" strokeWidth="2" />}
            {knots[s] === 'empty' && <circle r="5.5" fill="var(--ground)" stroke="var(--line-strong)" strokeWidth="2" />}
            {knots[s] === 'tied' && (
              <g stroke="var(--ink)" strokeWidth="2.5">
                <circle r="8" fill={s === step ? 'var(--woad-wash)' : 'var(--ground)'} stroke="none" />
                <path d="M-7 3c-3-8 9-10 8-2s10 6 6-2M-5-6c8 1 12 6 6 11" />
              </g>
            )}
            {knots[s] === 'loose' && (
              <g stroke="var(--weld)" strokeWidth="2.3">
                <circle r="9" fill={s === step ? 'var(--woad-wash)' : 'var(--ground)'} stroke="none" />
                <path d="M-2-10c-8 5-7 16 1 16s8-11 0-12-6 14 2 16" />
              </g>
            )}
          </g>
        ))}
      </svg>
      <ol className="absolute top-11 left-0 w-full">
        {STEPS.map((s) => (
          <li key={s} style={{ height: GAP }}>
            <button
              type="button"
              aria-current={s === step ? 'step' : undefined}
              aria-label={`${s}, ${WORDS[knots[s]]}`}
              onClick={() => goTo(s)}
              style={{ height: Math.min(48, GAP) }}
              className={`w-full pl-[43px] text-left text-[12.5px] ${s === step ? 'font-bold' : 'text-faded hover:text-ink'}`}
            >
              {s}
            </button>
          </li>
        ))}
      </ol>
    </nav>
  );
}
