/** How a number moves: a mark at its field, and a card behind it with its way through the frames. */
import { Popover } from 'radix-ui';
import { useEffect, useState } from 'react';
import { removeKey, setBeyond, setFormula, setKey, setWay, stay, useFrame, useNumbers, valueAt, WAYS } from '../state/motion';
import { useScene } from '../state/queries';
import { useHere } from '../state/here';
import { at } from '../state/pointer';
import { isMotion, type Motion, type Value } from '../state/value';
import { useBody } from '../bench/use-body';
import { clock } from '../stream/clock';
import { rehearse } from '../stream/rehearsal';
import { Button } from './button';
import { ChoiceField } from './choice-field';
import { NumberField } from './number-field';
import { keptFormula, showNumber, shownFormula } from './sum';

type Props = { path: string; otherwise?: number | undefined; of: string; named: string; unit: string; factor: number; narrow?: boolean };

const BEYOND = [
  { value: 'hold', label: 'stays' },
  { value: 'repeat', label: 'repeats' },
  { value: 'offset', label: 'climbs' },
  { value: 'back', label: 'goes back and forth' },
  { value: 'on', label: 'goes on' },
];

/** A thread: taut where the number stays, slack where it moves, with a knot where there is a key at the frame. */
export function MotionMark(props: Props) {
  const said = useScene((s) => at(s, props.path)) as Value | undefined;
  const [open, setOpen] = useState(false);
  const motion = isMotion(said) ? said : undefined;
  const frame = useFrame(Boolean(motion));
  const key = motion?.keys?.some((k) => k.frame === frame);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={`How ${props.of} ${props.named} moves`}
        title={motion ? (key ? 'Moves; there is a key at this frame' : 'Moves') : 'Stays; press to let it move'}
        className={`h-full shrink-0 place-items-center rounded-r-[5px] hover:bg-woad-wash ${props.narrow ? `w-4 ${motion || open ? 'grid' : 'hidden group-focus-within/num:grid group-hover/num:grid'}` : 'grid w-5'}`}
      >
        <svg width="14" height="12" aria-hidden>
          <path
            d={motion ? 'M1 8c2-6 4-6 6-2s4 4 6-2' : 'M2 6h10'}
            fill="none"
            stroke={motion ? 'var(--plum)' : 'var(--line-strong)'}
            strokeWidth="1.500"
            strokeLinecap="round"
          />
          {key && <circle cx="7" cy="6" r="2.600" fill="var(--plum)" />}
        </svg>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="right"
          align="start"
          sideOffset={6}
          collisionPadding={8}
          className="z-40 w-72 rounded-md border border-line-strong bg-raised py-2 text-[13px] shadow-md"
          onOpenAutoFocus={(e) => e.preventDefault()}
        >
          <MotionCard {...props} said={said} onClose={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function MotionCard({ path, otherwise, of, named, unit, factor, said, onClose }: Props & { said: Value | undefined; onClose: () => void }) {
  const body = useBody();
  const frame = useFrame();
  const motion: Motion = isMotion(said) ? said : {};
  const keys = motion.keys ?? [];
  const [typed, setTyped] = useState<string | null>(null);
  const [asked, setAsked] = useState<string | undefined>();
  const all = useNumbers(path, said);
  const trial = useNumbers(path, said, asked);
  useEffect(() => {
    const wait = setTimeout(() => setAsked(typed === null || typed.trim() === '' ? undefined : keptFormula(typed, unit)), 150);
    return () => clearTimeout(wait);
  }, [typed, unit]);
  const kept = shownFormula(motion.formula ?? '', unit);
  const row = asked !== undefined && trial?.motion.length ? trial.motion : all?.numbers[0];
  const first = all?.first ?? trial?.first ?? clock.first;
  const here = typeof said === 'number' ? said : said === undefined ? otherwise : valueAt(all?.numbers[0], first, frame);
  const thing = `${of} ${named.toLowerCase()}`;
  const on = keys.find((k) => k.frame === frame);
  const from = keys.filter((k) => k.frame <= frame).at(-1) ?? keys[0];
  const [back, forth] = [keys.filter((k) => k.frame < frame).at(-1), keys.find((k) => k.frame > frame)];
  const told = typed !== null && asked === keptFormula(typed, unit) ? trial?.fault : undefined;
  // Brackets that the page puts about it are not the person's.
  const fault = told &&
    typed !== null && {
      ...told,
      at: Math.min(typed.length, Math.max(0, told.at - (asked?.startsWith(`(${typed})`) && asked !== typed ? 1 : 0))),
    };
  const refused = useHere((h) => h.faults[`${path}/formula`]);
  const take = () => {
    if (typed === null || typed === kept || here === undefined) return setTyped(null);
    void setFormula(thing, path, keptFormula(typed, unit), here).then((done) => done && setTyped(null));
  };
  return (
    <>
      <p className="flex justify-between gap-3 px-4 pb-1">
        <span className="font-semibold">{named}</span>
        <span className="num text-faded">
          {here === undefined ? '' : `${showNumber(here * factor)} ${unit}`} at {frame}
        </span>
      </p>
      {row && row.length > 1 && <Plot row={row} first={first} frame={frame} keys={keys.map((k) => k.frame)} factor={factor} unit={unit} />}
      <div className="flex gap-1 px-4 py-1">
        {on ? (
          <Button onClick={() => void removeKey(thing, path, frame)}>Remove the key</Button>
        ) : (
          <Button disabled={here === undefined} onClick={() => here !== undefined && void setKey(thing, path, frame, here)}>
            Key here
          </Button>
        )}
        {path.startsWith('/fields/') && body && said !== undefined && (
          <Button
            hint="The frames come while you drag the number by its handle: what you did can be kept as keys"
            onClick={() => {
              onClose();
              rehearse({ place: path, name: thing, body });
            }}
          >
            Rehearse
          </Button>
        )}
        <span className="flex-1" />
        <Button aria-label="The key before" hint="The key before" disabled={!back} onClick={() => back && clock.halt(back.frame)}>
          ‹
        </Button>
        <Button aria-label="The key after" hint="The key after" disabled={!forth} onClick={() => forth && clock.halt(forth.frame)}>
          ›
        </Button>
      </div>
      {keys.length > 1 && from && (
        <>
          <ChoiceField
            label={`From ${from.frame}`}
            of={thing}
            value={from.then ?? 'straight'}
            options={WAYS}
            onChoose={(w) => void setWay(thing, path, frame, w)}
          />
          <ChoiceField
            label="Before"
            of={thing}
            value={motion.before ?? 'hold'}
            options={BEYOND}
            onChoose={(w) => void setBeyond(thing, path, 'before', w)}
          />
          <ChoiceField
            label="After"
            of={thing}
            value={motion.after ?? 'hold'}
            options={BEYOND}
            onChoose={(w) => void setBeyond(thing, path, 'after', w)}
          />
        </>
      )}
      <label className="block px-4 pt-1">
        <span className="text-faded">{keys.length > 0 ? 'Plus a formula' : 'By a formula'}</span>
        <input
          className="num mt-0.5 h-6 w-full rounded-[5px] border border-line-strong bg-field px-1.5"
          aria-label={`${thing} formula`}
          aria-invalid={Boolean(fault)}
          placeholder="0.3 * sin(2 * t) + noise(t)"
          spellCheck={false}
          value={typed ?? kept}
          data-path={`${path}/formula`}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={take}
          onKeyDown={(e) => {
            if (e.key === 'Enter') take();
            if (e.key !== 'Escape' || typed === null) return;
            // The first Escape leaves the formula, the next the card.
            e.preventDefault();
            e.stopPropagation();
            setTyped(null);
          }}
        />
      </label>
      {fault && typed !== null && (
        <p role="alert" className="px-4 text-[12px] text-madder">
          <span className="num whitespace-pre">
            {typed.slice(0, fault.at)}
            <mark className="bg-madder/25 text-madder">{typed.slice(fault.at, fault.at + 1) || ' '}</mark>
            {typed.slice(fault.at + 1)}
          </span>
          <br />
          It {fault.why}.
        </p>
      )}
      {!fault && refused && (
        <p role="alert" className="px-4 text-[12px] text-madder">
          It {refused}.
        </p>
      )}
      <p className="px-4 pt-0.5 text-[12px] text-faded">
        t in seconds, f in frames; sin, noise, sqrt and others.{unit && ` It is in ${unit}.`}
      </p>
      {motion.formula?.includes('seed') && <NumberField path={`${path}/seed`} label="Seed" of={thing} whole />}
      {isMotion(said) && here !== undefined && (
        <div className="px-4 pt-1">
          <Button onClick={() => void stay(thing, path, here)}>Let it stay at {showNumber(here * factor)}</Button>
        </div>
      )}
    </>
  );
}

const [WIDE, HIGH] = [254, 62];

/** The way through the frames, in pencil on linen. */
function Plot({
  row,
  first,
  frame,
  keys,
  factor,
  unit,
}: {
  row: number[];
  first: number;
  frame: number;
  keys: number[];
  factor: number;
  unit: string;
}) {
  const [low, high] = row.reduce(([a, b], v) => [Math.min(a!, v), Math.max(b!, v)], [Infinity, -Infinity]) as [number, number];
  const room = high - low || Math.abs(high) || 1;
  const x = (f: number) => 4 + ((WIDE - 8) * (f - first)) / Math.max(1, row.length - 1);
  const y = (v: number) => HIGH - 8 - ((HIGH - 16) * (v - low)) / room;
  const step = Math.max(1, Math.floor(row.length / 500));
  const points = row.flatMap((v, k) => (k % step === 0 || k === row.length - 1 ? [`${x(first + k).toFixed(1)},${y(v).toFixed(1)}`] : []));
  const told = `from ${showNumber(low * factor)} to ${showNumber(high * factor)} ${unit}`;
  return (
    <svg width={WIDE} height={HIGH} role="img" aria-label={`Its way, ${told}`} className="mx-4 rounded border border-line bg-field">
      <title>{told}</title>
      <path d={`M${x(frame)} 0V${HIGH}`} stroke="var(--ink)" strokeWidth="1" opacity="0.5" />
      <polyline points={points.join(' ')} fill="none" stroke="var(--plum)" strokeWidth="1.500" strokeLinejoin="round" />
      {keys
        .filter((k) => k >= first && k < first + row.length)
        .map((k) => (
          <circle
            key={k}
            cx={x(k)}
            cy={y(row[k - first]!)}
            r="3"
            fill={k === frame ? 'var(--plum)' : 'var(--raised)'}
            stroke="var(--plum)"
            strokeWidth="1.500"
          />
        ))}
    </svg>
  );
}
