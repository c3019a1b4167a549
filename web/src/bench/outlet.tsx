/** What pieces come from, or strands grow on: a space of their own, the skin of a figure, the surface of a collider, a cloth. */
import { setValue } from '../state/project';
import { useScene } from '../state/queries';
import { clothOf } from '../state/value';
import { ChoiceField } from '../ui/choice-field';

const SPACE = '·';
const keyOf = (from: unknown) => (from === undefined || from === 'space' ? SPACE : JSON.stringify(from));

/** `space` is what its own space is called, `said` what one says they do. */
export function Outlet(props: {
  label: string;
  path: string;
  of: string;
  from: unknown;
  space: string;
  said: string;
  /** Whether a cloth may be it. */
  cloth?: boolean;
}) {
  const figures = useScene((s) => s.figures) ?? {};
  const colliders = useScene((s) => s.colliders) ?? {};
  const bodies = useScene((s) => s.bodies) ?? {};
  const all = [
    { from: 'space' as unknown, label: props.space },
    ...Object.entries(figures).map(([k, f]) => ({ from: { figure: { figure: k } } as unknown, label: `${f.name}, its skin` })),
    ...Object.entries(colliders)
      .filter(([, c]) => !('plane' in c.form || 'figure' in c.form))
      .map(([k, c]) => ({ from: { collider: k } as unknown, label: `${c.name}, its surface` })),
    ...Object.entries(bodies)
      .filter(([, b]) => props.cloth && clothOf(b))
      .map(([k, b]) => ({ from: { body: k } as unknown, label: `${b.name}, the cloth` })),
  ];
  const now = keyOf(props.from);
  if (!all.some((o) => keyOf(o.from) === now)) {
    const { figure: part } = Object(props.from) as { figure?: { figure: string; parts?: string[] } };
    const label = part ? `${figures[part.figure]?.name ?? part.figure}, its ${part.parts?.join(' and ')}` : 'points of the scene file';
    all.push({ from: props.from, label });
  }
  return (
    <ChoiceField
      label={props.label}
      of={props.of}
      value={now}
      options={all.map((o) => ({ value: keyOf(o.from), label: o.label }))}
      onChoose={(v) => {
        const found = all.find((o) => keyOf(o.from) === v);
        if (found) void setValue(`${props.of} ${props.said} ${found.label}`, props.path, found.from);
      }}
    />
  );
}
