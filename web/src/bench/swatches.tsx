/** Swatches: which number, from what to what and how many; or all fabrics. */
import { useState } from 'react';
import type { Op } from '../api/http';
import { at, facts } from '../state/pointer';
import { now, useMatters, useScene, useSchema } from '../state/queries';
import { clothOf } from '../state/value';
import { compute, MOST_SWATCHES, steps } from '../stream/swatches';
import { Button } from '../ui/button';
import { Choice } from '../ui/choice-field';
import { Actions, Line, Note, Section } from '../ui/section';
import { readSum, shownIn, showNumber } from '../ui/sum';
import { useBody } from './use-body';

/** Instead of a number: all materials. */
const FABRICS = 'fabrics';
type Over = { path: string; name: string; unit: string; factor: number; value: number };

/** The numbers that can be tried: of the body's material, and of the fields that act. */
function numbers(scene: ReturnType<typeof now.scene>, body: string | null, schema: ReturnType<typeof useSchema>): Over[] {
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

export function Swatches() {
  const body = useBody();
  const scene = useScene((s) => s);
  const schema = useSchema();
  const matters = useMatters();
  const [chosen, setChosen] = useState<string | null>(null);
  const [range, setRange] = useState<{ from: string; to: string; count: string } | null>(null);
  const all = numbers(scene, body, schema);
  const cloth = Boolean(body && scene?.bodies[body] && clothOf(scene.bodies[body]));
  const name = body ? scene?.bodies[body]?.name : undefined;
  if (!scene || !body || (all.length === 0 && !cloth)) return null;
  const over = all.find((n) => n.path === chosen) ?? all[0];
  const fabrics = cloth && chosen === FABRICS;
  const typed = range ?? {
    from: over ? showNumber((over.value * over.factor) / 4) : '',
    to: over ? showNumber(over.value * over.factor * 4) : '',
    count: '6',
  };
  const read = (text: string, unit: string) => {
    const r = readSum(text, { unit });
    return 'value' in r ? r.value : NaN;
  };
  const [from, to, count] = [read(typed.from, over?.unit ?? ''), read(typed.to, over?.unit ?? ''), Math.round(read(typed.count, ''))];
  const f = over ? facts(schema, over.path) : undefined;
  const fits = (v: number) => f !== undefined && over !== undefined && v / over.factor >= f.min && v / over.factor <= f.max;
  const fault = fabrics
    ? null
    : Number.isNaN(from) || Number.isNaN(to) || Number.isNaN(count)
      ? 'From, to and how many are numbers.'
      : count < 2 || count > MOST_SWATCHES
        ? `There are 2 to ${MOST_SWATCHES} swatches.`
        : f && over && !(fits(from) && fits(to))
          ? `It goes from ${showNumber(f.min * over.factor)} to ${showNumber(f.max * over.factor)} ${over.unit}.`
          : null;
  const go = () => {
    if (fabrics) {
      const path = `/bodies/${body}/kind/cloth/matter`;
      const each = matters.map((m) => ({ name: m.name, patch: [{ op: 'replace', path, value: m.matter }] as Op[] }));
      return compute(body, `${name}’s material`, each);
    }
    if (!over) return;
    const each = steps(from, to, count).map((v) => ({
      name: `${showNumber(v)} ${over.unit}`.trim(),
      patch: [{ op: 'replace', path: over.path, value: v / over.factor }] as Op[],
    }));
    return compute(body, over.name, each);
  };
  const box = (label: string, key: 'from' | 'to' | 'count') => (
    <input
      aria-label={`Swatches ${label}`}
      className="num h-6 w-full min-w-0 rounded-[5px] border border-line-strong bg-field px-1.5"
      value={typed[key]}
      onChange={(e) => setRange({ ...typed, [key]: e.target.value })}
      onKeyDown={(e) => {
        if (e.key === 'Escape') setRange(null);
        if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
      }}
    />
  );
  return (
    <Section title="Swatches">
      <Line label="Over">
        <Choice
          label="Swatches over"
          value={fabrics ? FABRICS : (over?.path ?? FABRICS)}
          options={[...(cloth ? [{ value: FABRICS, label: 'all fabrics' }] : []), ...all.map((n) => ({ value: n.path, label: n.name }))]}
          onChoose={(v) => {
            setChosen(v);
            setRange(null);
          }}
        />
      </Line>
      {!fabrics && (
        <Line label={`From, to${over?.unit ? `, ${over.unit}` : ''}`}>
          <span className="grid grid-cols-[1fr_1fr_44px] gap-1.5">
            {box('from', 'from')}
            {box('to', 'to')}
            {box('how many', 'count')}
          </span>
        </Line>
      )}
      {fault && <Note tone="care">{fault}</Note>}
      <Actions>
        <Button disabled={fault !== null} onClick={() => void go()}>
          Try them side by side
        </Button>
      </Actions>
      <Note>Drafts of {name} and what it touches, the first five seconds at most. A press on one makes its value the scene’s.</Note>
    </Section>
  );
}
