/** Adding and removing fields. */
import type { Field } from '../api/http';
import { edit, useScene } from '../store/scene';
import { goTo, setView } from '../store/view';
import { freeKey } from './bodies';

const NEW = {
  gravity: { name: 'Gravity', act: { gravity: { strength: 9.81 } } },
  wind: { name: 'Wind', act: { wind: { speed: 4, heading: 0, gust: 0.25, gust_period: 2 } } },
  turbulence: { name: 'Turbulence', act: { turbulence: { strength: 1, size: 1 } } },
} as const;

export type FieldKind = keyof typeof NEW;

export async function addField(kind: FieldKind) {
  const fields = useScene.getState().project?.scene.fields ?? {};
  const id = freeKey(NEW[kind].name, fields);
  const done = await edit(`${NEW[kind].name} added`, [{ op: 'add', path: `/fields/${id}`, value: NEW[kind] }]);
  if (done) {
    setView({ field: id });
    goTo('Air');
  }
}

export async function removeField(id: string) {
  const field = useScene.getState().project?.scene.fields?.[id];
  if (field && (await edit(`${field.name} removed`, [{ op: 'remove', path: `/fields/${id}` }]))) setView({ field: null });
}

export const kindOf = (f: Field) => Object.keys(f.act)[0] as FieldKind;
