import { edit, useScene } from '../store/scene';
import { Button } from '../ui/button';
import { NumberField } from '../ui/number-field';
import { Actions, Row, Section } from '../ui/section';

export function ContactStep() {
  const floor = useScene((s) => s.project?.scene.floor);
  if (!floor) {
    return (
      <Section title="Floor">
        <p className="px-4 pb-3">There is no floor: what isn’t held falls out of the scene.</p>
        <div className="px-4">
          <Button onClick={() => void edit('Floor added', [{ op: 'add', path: '/floor', value: { height: 0, friction: 0.5 } }])}>Add a floor</Button>
        </div>
      </Section>
    );
  }
  const mark = (
    <svg width="16" height="16" aria-hidden>
      <path d="M1 11h14M3 14l2-3M8 14l2-3M13 14l2-3" stroke="var(--rust)" strokeWidth="1.7" fill="none" />
    </svg>
  );
  return (
    <Section title="Colliders">
      <Row name="Floor" note="a level plane" mark={mark} open>
        <NumberField path="/floor/height" of="Floor" />
        <NumberField path="/floor/friction" of="Floor" />
        <Actions><Button onClick={() => void edit('Floor removed', [{ op: 'remove', path: '/floor' }])}>Remove the floor</Button></Actions>
      </Row>
    </Section>
  );
}
