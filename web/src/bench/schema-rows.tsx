import { entries, facts } from '../state/pointer';
import { useSchema } from '../state/queries';
import { NumberField, NumberRow } from '../ui/number-field';
import { shownIn } from '../ui/sum';

/** The numbers of an object, drawn from what the schema says of them: those changed often, or those changed seldom. */
export function SchemaRows({ base, of, seldom }: { base: string; of: string; seldom: boolean }) {
  const schema = useSchema();
  return entries(schema, base)
    .filter((e) => e.seldom === seldom)
    .map(({ key, title, whole, three }) => {
      const path = `${base}/${key}`;
      if (!three) return <NumberField key={key} path={path} of={of} whole={whole} />;
      const [unit] = shownIn(facts(schema, path).unit);
      return <NumberRow key={key} label={unit ? `${title}, ${unit}` : title} of={of} whole={whole} parts={['x', 'y', 'z'].map((name, k) => ({ path: `${path}/${k}`, name }))} />;
    });
}
