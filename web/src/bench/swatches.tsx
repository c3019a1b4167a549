/** Swatches: which number, from what to what and how many, or two of them across each other; or all fabrics. */
import { useState } from 'react';
import type { Op, Project } from '../api/http';
import { at, facts } from '../state/pointer';
import { useMatters, useScene, useSchema, useShape } from '../state/queries';
import { clothOf } from '../state/value';
import { compute, cost, crossed, MOST_SWATCHES, steps } from '../stream/swatches';
import { Button } from '../ui/button';
import { Choice } from '../ui/choice-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { readSum, shownIn, showNumber } from '../ui/sum';
import { useBody } from './use-body';

/** Instead of a number: all materials. */
const FABRICS = 'fabrics';
type Over = { path: string; name: string; unit: string; factor: number; value: number };

/** The numbers that can be tried: of the body's material, and of the fields that act. */
function numbers(scene: Project['scene'] | undefined, body: string | null, schema: ReturnType<typeof useSchema>): Over[] {
  const out: Over[] = [];
  const add = (path: string, of: string) => {
    const value = at(scene, path);
    if (typeof value !== 'number') return;
    const f = facts(schema, path);
    if (!f.title || (!f.moves && !path.includes('/matter/'))) return;
    const [unit, factor] = shownIn(f.unit);
    out.push({ path, name: `${f.title}${of ? `, ${of}` : ''}`, unit, factor, value });
  };
  const matter = body && scene?.bodies[body] ? clothOf(scene.bodies[body])?.matter : undefined;
  for (const key of Object.keys(matter ?? {})) add(`/bodies/${body}/kind/cloth/matter/${key}`, '');
  for (const [id, f] of Object.entries(scene?.fields ?? {})) {
    const kind = Object.keys(f.act)[0]!;
    for (const key of Object.keys((f.act as Record<string, object>)[kind] ?? {})) add(`/fields/${id}/act/${kind}/${key}`, f.name);
  }
  return out;
}

type Typed = { from: string; to: string; count: string };

/** What is typed of a number's swatches, as numbers, and what is wrong with it. */
function readAxis(over: Over, typed: Typed, schema: ReturnType<typeof useSchema>) {
  const read = (text: string, unit: string) => {
    const r = readSum(text, { unit });
    return 'value' in r ? r.value : NaN;
  };
  const [from, to, count] = [read(typed.from, over.unit), read(typed.to, over.unit), Math.round(read(typed.count, ''))];
  const f = facts(schema, over.path);
  const fits = (v: number) => v / over.factor >= f.min && v / over.factor <= f.max;
  const fault =
    Number.isNaN(from) || Number.isNaN(to) || Number.isNaN(count)
      ? 'From, to and how many are numbers.'
      : count < 2 || count > MOST_SWATCHES
        ? `There are 2 to ${MOST_SWATCHES} swatches.`
        : fits(from) && fits(to)
          ? null
          : `${over.name} goes from ${showNumber(f.min * over.factor)} to ${showNumber(f.max * over.factor)} ${over.unit}.`;
  const each = () =>
    steps(from, to, count).map((v) => ({
      name: `${showNumber(v)} ${over.unit}`.trim(),
      patch: [{ op: 'replace', path: over.path, value: v / over.factor }] as Op[],
    }));
  return { fault, count, each };
}

/** What a number's swatches are where nothing is typed: a quarter of it to four times it. */
const around = (over: Over, count: string): Typed => ({
  from: showNumber((over.value * over.factor) / 4),
  to: showNumber(over.value * over.factor * 4),
  count,
});

function Axis({ over, typed, name, onType }: { over: Over; typed: Typed; name: string; onType: (to: Typed | null) => void }) {
  const box = (label: string, key: keyof Typed) => (
    <input
      aria-label={`${name} ${label}`}
      className="num h-6 w-full min-w-0 rounded-[5px] border border-line-strong bg-field px-1.5"
      value={typed[key]}
      onChange={(e) => onType({ ...typed, [key]: e.target.value })}
      onKeyDown={(e) => {
        if (e.key === 'Escape') onType(null);
        if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
      }}
    />
  );
  return (
    <Line label={`From, to${over.unit ? `, ${over.unit}` : ''}`}>
      <span className="grid grid-cols-[1fr_1fr_44px] gap-1.5">
        {box('from', 'from')}
        {box('to', 'to')}
        {box('how many', 'count')}
      </span>
    </Line>
  );
}

/** Seconds from which on it is asked whether they are worth it. */
const LONG = 90;
const minutes = (s: number) => (s < 5400 ? `${Math.max(2, Math.round(s / 60))} minutes` : `${Math.round(s / 3600)} hours`);

export function Swatches() {
  const body = useBody();
  const scene = useScene((s) => s);
  const schema = useSchema();
  const matters = useMatters();
  const { shape } = useShape(body ?? '');
  const [chosen, setChosen] = useState<string | null>(null);
  const [second, setSecond] = useState<string | null>(null);
  const [range, setRange] = useState<Typed | null>(null);
  const [across, setAcross] = useState<Typed | null>(null);
  const [asked, setAsked] = useState(false);
  const all = numbers(scene, body, schema);
  const cloth = Boolean(body && scene?.bodies[body] && clothOf(scene.bodies[body]));
  const name = body ? scene?.bodies[body]?.name : undefined;
  if (!scene || !body || (all.length === 0 && !cloth)) return null;
  const over = all.find((n) => n.path === chosen) ?? all[0];
  const fabrics = cloth && (chosen === FABRICS || !over);
  const other = fabrics ? undefined : all.find((n) => n.path === second && n !== over);
  const typed = range ?? (over && around(over, other ? '4' : '6'));
  const typedToo = across ?? (other && around(other, '3'));
  const one = over && typed ? readAxis(over, typed, schema) : null;
  const two = other && typedToo ? readAxis(other, typedToo, schema) : null;
  const count = fabrics ? matters.length : (one?.count ?? 0) * (two?.count ?? 1);
  const fault = fabrics
    ? null
    : (one?.fault ?? two?.fault ?? (count > MOST_SWATCHES ? `${count} swatches are too many: ${MOST_SWATCHES} at most.` : null));
  const takes = cost(shape?.head.points ?? 0, count);
  const go = () => {
    if (takes > LONG && !asked) return setAsked(true);
    setAsked(false);
    if (fabrics) {
      const path = `/bodies/${body}/kind/cloth/matter`;
      const each = matters.map((m) => ({ name: m.name, patch: [{ op: 'replace', path, value: m.matter }] as Op[] }));
      return void compute(body, `${name}’s material`, each);
    }
    if (!over || !one) return;
    if (other && two) return void compute(body, `${over.name} and ${other.name}`, crossed(one.each(), two.each()), one.count);
    void compute(body, over.name, one.each());
  };
  const options = all.map((n) => ({ value: n.path, label: n.name }));
  return (
    <Section title="Swatches">
      <Line label="Over">
        <Choice
          label="Swatches over"
          value={fabrics ? FABRICS : (over?.path ?? FABRICS)}
          options={[...(cloth ? [{ value: FABRICS, label: 'all fabrics' }] : []), ...options]}
          onChoose={(v) => {
            setChosen(v);
            setRange(null);
          }}
        />
      </Line>
      {!fabrics && over && typed && <Axis name="Swatches" over={over} typed={typed} onType={setRange} />}
      {!fabrics && all.length > 1 && (
        <Line label="And over">
          <Choice
            label="Swatches and over"
            value={other?.path ?? ''}
            options={[{ value: '', label: 'nothing else' }, ...options.filter((o) => o.value !== over?.path)]}
            onChoose={(v) => {
              setSecond(v || null);
              setAcross(null);
            }}
          />
        </Line>
      )}
      {other && typedToo && <Axis name="Swatches across" over={other} typed={typedToo} onType={setAcross} />}
      {fault && <Note tone="care">{fault}</Note>}
      {asked && takes > LONG && !fault && (
        <Note tone="care">
          {count} drafts of {shape?.head.points} points take some {minutes(takes)}. They come one after the other, and closing the wall ends
          them.
        </Note>
      )}
      <Actions>
        <Button disabled={fault !== null} onClick={go}>
          {asked && takes > LONG ? 'Try them all the same' : 'Try them side by side'}
        </Button>
      </Actions>
      <Note>Drafts of {name} and what it touches, the first five seconds at most. A press on one makes its value the scene’s.</Note>
    </Section>
  );
}
