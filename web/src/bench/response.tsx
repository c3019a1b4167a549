/** What air and weight do to each body. */
import { useScene } from '../state/queries';
import { clothOf } from '../state/value';
import { NumberField } from '../ui/number-field';
import { Fold, Note, Section } from '../ui/section';

export function Responses() {
  const bodies = useScene((s) => Object.entries(s.bodies).map(([id, b]) => ({ id, name: b.name, cloth: Boolean(clothOf(b)) }))) ?? [];
  if (bodies.length === 0) return null;
  return (
    <Section title="How bodies answer">
      {bodies.map(({ id, name, cloth }) => {
        const own = cloth ? `/bodies/${id}/kind/cloth/matter` : `/bodies/${id}/kind/drift`;
        return (
          <Fold key={id} name={name} closed={bodies.length > 1}>
            <NumberField path={`${own}/drag`} of={name} />
            {cloth && <NumberField path={`${own}/lift`} of={name} />}
            <NumberField path={`/bodies/${id}/air_density`} otherwise={1.2} of={name} />
            <NumberField path={`/bodies/${id}/gravity`} otherwise={1} of={name} />
            {cloth && <NumberField path={`${own}/damping`} of={name} />}
            <NumberField path={`/bodies/${id}/still_air`} otherwise={0} of={name} label="Still air" />
            <Note>
              {cloth
                ? 'Damping slows what moves beside what holds it; still air slows all that moves in the world, so that it lags behind.'
                : 'Still air slows all that moves in the world.'}
            </Note>
          </Fold>
        );
      })}
    </Section>
  );
}
