/** What a thing stands on: the world, or what it rides with. */
import { useQueries } from '@tanstack/react-query';
import type { FigureLook, Node, Parent } from '../api/http';
import { standOn } from '../state/motion';
import { at } from '../state/pointer';
import { askFigure, useOpen, useScene } from '../state/queries';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { ChoiceField } from '../ui/choice-field';
import { Actions, Note } from '../ui/section';

const WORLD = '·';
const PRESS = '··';
const key = (p: Parent | null | undefined) => (p ? JSON.stringify(p) : WORLD);
const NONE: Record<string, never> = {};

/** The joints of all figures of the scene. */
function useJoints(): Record<string, FigureLook> {
  const id = useOpen();
  const figures = useScene((s) => s.figures) ?? NONE;
  const keys = Object.keys(figures);
  return useQueries({
    queries: keys.map((k) => askFigure(id, k, figures[k]!)),
    combine: (all) => Object.fromEntries(all.flatMap((q, k) => (q.data ? [[keys[k]!, q.data]] : []))),
  });
}

export function StandsOn({ base, of }: { base: string; of: string }) {
  const [, kind, id] = base.split('/');
  const on = useScene((s) => (at(s, `${base}/place`) as Node | undefined)?.on) ?? null;
  const scene = useScene((s) => ({ handles: s.handles ?? {}, colliders: s.colliders ?? {}, figures: s.figures ?? {} })) ?? {
    handles: NONE,
    colliders: NONE,
    figures: NONE,
  };
  const joints = useJoints();
  const others: { on: Parent; label: string }[] = [
    ...Object.entries(scene.handles).flatMap(([k, h]) =>
      kind === 'handles' && k === id ? [] : [{ on: { handle: k } as Parent, label: h.name }],
    ),
    ...Object.entries(scene.colliders).flatMap(([k, c]) =>
      (kind === 'colliders' && k === id) || 'figure' in c.form ? [] : [{ on: { collider: k } as Parent, label: `${c.name}, collider` }],
    ),
    ...Object.entries(scene.figures).flatMap(([k, f]) =>
      kind === 'figures' && k === id
        ? []
        : [
            { on: { figure: k } as Parent, label: f.name },
            ...(joints[k]?.joints ?? []).map((j) => ({
              on: { joint: { figure: k, joint: j.name } } as Parent,
              label: `${j.name}, joint of ${f.name}`,
            })),
          ],
    ),
  ];
  const waits = useView((v) => v.spotFor?.base === base);
  if (others.length === 0 && !on) return null;
  // One that the file no longer has is still named.
  if (on && !others.some((o) => key(o.on) === key(on)))
    others.unshift({
      on,
      label:
        'joint' in on
          ? `${on.joint.joint} (missing)`
          : 'spot' in on
            ? `a spot of ${scene.figures[on.spot.figure]?.name ?? 'a surface'}`
            : 'something',
    });
  const skins = Object.keys(scene.figures).some((k) => !(kind === 'figures' && k === id));
  return (
    <>
      <ChoiceField
        label="Stands on"
        of={of}
        value={key(on)}
        options={[
          { value: WORLD, label: 'the world' },
          ...(skins ? [{ value: PRESS, label: 'a spot that I press in the view' }] : []),
          ...others.map((o) => ({ value: key(o.on), label: o.label })),
        ]}
        onChoose={(v) =>
          v === PRESS
            ? setView({ spotFor: { base, of } })
            : void standOn(`${base}/place`, of, others.find((o) => key(o.on) === v)?.on ?? null)
        }
      />
      {waits && (
        <>
          <Note>Press a spot of a figure in the view. It stays where it is and rides with that spot from then on.</Note>
          <Actions>
            <Button onClick={() => setView({ spotFor: null })}>Leave it</Button>
          </Actions>
        </>
      )}
    </>
  );
}
