/** What strands are made of: one of them held level, as it droops; what all weigh, and how fast it springs. */
import type { FibreFeel, Fibre as Began } from '../api/http';
import { About } from '../ui/about';
import { edit } from '../state/project';
import { useFibre, useFibres } from '../state/queries';
import { isMotion } from '../state/value';
import { ChoiceField } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold } from '../ui/section';
import type { Strands } from './grow';

const PARTS = ['diameter', 'taper', 'density', 'modulus', 'twist', 'damping', 'friction'] as const;

export function Fibre({ id, of, own }: { id: string; of: string; own: Strands }) {
  const fibres = useFibres();
  const path = `/bodies/${id}/kind/strands`;
  const is = (f: Began) => PARTS.every((k) => !isMotion(own[k]) && Math.abs(Number(own[k]) - f[k]) <= 1e-9 * Math.abs(f[k]));
  const began = fibres.find(is);
  const choose = (f: Began) =>
    edit(
      `${of} of ${f.name}`,
      PARTS.map((k) => ({ op: 'add', path: `${path}/${k}`, value: f[k] })),
    );
  return (
    <Fold name="Fibre" note={began?.name ?? 'own numbers'}>
      <ChoiceField
        label="Preset"
        of={of}
        value={began?.id ?? 'own'}
        options={[...(began ? [] : [{ value: 'own', label: 'own numbers' }]), ...fibres.map((f) => ({ value: f.id, label: f.name }))]}
        onChoose={(v) => {
          const f = fibres.find((x) => x.id === v);
          if (f) void choose(f);
        }}
      />
      <Held body={id} />
      <Lock body={id} />
      {PARTS.filter((k) => k !== 'twist').map((k) => (
        <NumberField key={k} path={`${path}/${k}`} of={of} />
      ))}
      {began && (
        <Actions>
          <About label="Where these numbers come from">{`${began.source}.`}</About>
        </Actions>
      )}
    </Fold>
  );
}

/** One strand held level, at a scale that is told. */
function Held({ body }: { body: string }) {
  const feel = useFibre(body);
  if (!feel) return <div className="mx-4 ml-9 h-[92px]" aria-hidden />;
  const [edge, top, wide] = [30, 12, 190];
  const per = wide / feel.length;
  const low = -Math.min(...feel.droop.map((p) => p[1]!)) * per;
  const height = Math.min(230, Math.max(44, low + top + 8));
  const line = feel.droop.map((p, k) => `${k ? 'L' : 'M'}${(edge + p[0]! * per).toFixed(1)} ${(top - p[1]! * per).toFixed(1)}`).join('');
  return (
    <figure className="mx-4 mt-1 ml-9 rounded-md border border-line bg-ground" data-testid="fibre">
      <svg
        viewBox={`0 0 246 ${height}`}
        width="100%"
        height={height}
        preserveAspectRatio="xMinYMin meet"
        role="img"
        aria-label={words(feel)}
      >
        <rect x="0" y={top - 7} width={edge} height="14" fill="var(--line-strong)" />
        <path d={`M${edge} ${top}h${wide}`} stroke="var(--line-strong)" strokeDasharray="2 4" />
        <path d={line} fill="none" stroke="var(--ink)" strokeWidth="2" strokeLinecap="round" />
      </svg>
      <figcaption className="flex flex-wrap justify-between gap-x-3 border-t border-line px-2 py-1 text-[12px] text-faded">
        <span title="A straight one of the mean length, by its own weight">one held level</span>
        <span className="num" title="What all of them weigh">
          {weight(feel.mass)}
        </span>
        <span className="num" title="How often it springs to and fro in a second">
          {Number(feel.frequency.toPrecision(2))} Hz
        </span>
      </figcaption>
    </figure>
  );
}

/** A lock of twenty as it is at rest, seen from the side. */
function Lock({ body }: { body: string }) {
  const lock = useFibre(body)?.lock ?? [];
  const all = lock.flat();
  if (all.length === 0) return null;
  const [xs, ys] = [all.map((p) => p[0]!), all.map((p) => p[1]!)];
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(0, ...ys), Math.max(...ys)];
  const [wide, most, edge] = [228, 120, 9];
  const per = Math.min(wide / Math.max(right - left, 1e-6), most / Math.max(high - low, 1e-6));
  const height = (high - low) * per + 2 * edge;
  const start = edge + (wide - (right - left) * per) / 2;
  const at = (p: number[]) => `${(start + (p[0]! - left) * per).toFixed(1)} ${(edge + (high - p[1]!) * per).toFixed(1)}`;
  const ground = edge + high * per;
  return (
    <figure className="mx-4 mt-1 ml-9 rounded-md border border-line bg-ground" data-testid="lock">
      <svg
        viewBox={`0 0 246 ${height}`}
        width="100%"
        height={height}
        role="img"
        aria-label={`A lock of ${lock.length}, ${Math.round((high - low) * 1000)} mm high`}
      >
        <path d={`M6 ${ground}h234`} stroke="var(--line-strong)" strokeWidth="3" />
        {lock.map((h, k) => (
          <path
            key={k}
            d={h.map((p, j) => `${j ? 'L' : 'M'}${at(p)}`).join('')}
            fill="none"
            stroke="var(--ink)"
            strokeWidth="0.8"
            strokeOpacity="0.75"
          />
        ))}
      </svg>
      <figcaption className="flex justify-between border-t border-line px-2 py-1 text-[12px] text-faded">
        <span title="Hairs where there are some between, else strands; seen from the side">a lock of {lock.length} at rest</span>
        <span className="num">{Math.round((high - low) * 1000)} mm</span>
      </figcaption>
    </figure>
  );
}

const weight = (kg: number) => (kg < 1e-3 ? `${Number((kg * 1e6).toPrecision(3))} mg` : `${Number((kg * 1000).toPrecision(3))} g`);

function words(f: FibreFeel): string {
  const [out, up] = f.droop.at(-1)!;
  return `Held level, its tip is ${Math.round(out! * 1000)} mm out and ${Math.round(-up! * 1000)} mm down`;
}
