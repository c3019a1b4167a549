import { at, entries, facts, type Entry } from '../state/pointer';
import { setValue } from '../state/project';
import { useScene, useSchema } from '../state/queries';
import { ChoiceField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { shownIn } from '../ui/sum';

/** The values of an object, drawn from what the schema says of them: those changed often, or those changed seldom; `without` some that say nothing now. */
export function SchemaRows({ base, of, seldom, without = [] }: { base: string; of: string; seldom: boolean; without?: string[] }) {
  const schema = useSchema();
  const all = entries(schema, base).filter((e) => e.seldom === seldom && !without.includes(e.key));
  const labelled = (label: string, path: string) => {
    const unit = facts(schema, path).unit;
    return unit ? `${label}, ${shownIn(unit)[0]}` : label;
  };
  return all.map((e) => {
    const path = `${base}/${e.key}`;
    if (e.words) return <WordRow key={e.key} entry={e} path={path} of={of} />;
    if (e.three)
      return (
        <NumberRow
          key={e.key}
          label={labelled(e.title, path)}
          of={of}
          whole={e.whole}
          parts={['x', 'y', 'z'].map((name, k) => ({ path: `${path}/${k}`, name }))}
        />
      );
    if (!e.row) return <NumberField key={e.key} path={path} of={of} whole={e.whole} />;
    const together = all.filter((o) => o.row === e.row);
    if (together[0] !== e) return null;
    return (
      <NumberRow
        key={e.key}
        label={labelled(e.row, path)}
        of={of}
        whole={e.whole}
        parts={together.map((o) => ({ path: `${base}/${o.key}`, name: o.part ?? o.title }))}
      />
    );
  });
}

function WordRow({ entry, path, of }: { entry: Entry; path: string; of: string }) {
  const value = useScene((s) => at(s, path) as string | undefined);
  const words = entry.words ?? [];
  return (
    <ChoiceField
      label={entry.title}
      of={of}
      value={value ?? words[0]!.value}
      options={words}
      onChoose={(v) => void setValue(`${of} ${entry.title.toLowerCase()}`, path, v)}
    />
  );
}
