import { edit } from '../state/project';
import { ChoiceField } from '../ui/choice-field';
import type { Surface } from '../viewport/surfaces';

const WORDS: { value: Surface | 'plain'; label: string }[] = [
  { value: 'plain', label: 'clay' },
  { value: 'wood', label: 'wood' },
  { value: 'felt', label: 'felt' },
  { value: 'horn', label: 'horn' },
  { value: 'stone', label: 'stone' },
  { value: 'turf', label: 'turf' },
];

/** What a thing looks to be made of. */
export function SurfaceField({ base, of, is }: { base: string; of: string; is: Surface | null | undefined }) {
  const path = `${base}/surface`;
  return (
    <ChoiceField
      label="Surface"
      of={of}
      value={is ?? 'plain'}
      options={WORDS}
      onChoose={(v) => {
        if (v === (is ?? 'plain')) return;
        const label = `${of} looks like ${WORDS.find((w) => w.value === v)?.label ?? v}`;
        void edit(label, [v === 'plain' ? { op: 'remove', path } : { op: 'add', path, value: v }]);
      }}
    />
  );
}
