/** Handles: what grips are held to, and moved by. */
import type { Handle } from '../api/http';
import { useScene } from '../state/queries';
import { nodeMoves } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { Row, Section } from '../ui/section';
import { TextField } from '../ui/text-field';
import { PlaceRows } from './place';
import { ThingTools } from './thing-tools';
import { addHandle } from './things';

export function Handles() {
  const handles = useScene((s) => s.handles) ?? {};
  const open = useView((v) => v.handle);
  return (
    <Section
      title="Handles"
      action={
        <Button look="quiet" hint="A thing that grips are held to, and that moves them" onClick={() => void addHandle()}>
          Add a handle
        </Button>
      }
    >
      {Object.entries(handles).map(([id, h]) => (
        <Row
          key={id}
          name={h.name}
          note={words(h)}
          mark={<Sign />}
          open={id === open}
          onOpen={() => setView({ handle: id === open ? null : id })}
          tools={<ThingTools kind="handles" id={id} name={h.name} />}
        >
          <Card id={id} handle={h} />
        </Row>
      ))}
    </Section>
  );
}

function Card({ id, handle }: { id: string; handle: Handle }) {
  const names =
    useScene((s) =>
      Object.entries(s.handles ?? {})
        .filter(([k]) => k !== id)
        .map(([, h]) => h.name),
    ) ?? [];
  return (
    <>
      <TextField label="Name" path={`/handles/${id}/name`} taken={names} />
      <PlaceRows base={`/handles/${id}`} of={handle.name} />
    </>
  );
}

function words(h: Handle): string {
  const on = h.place?.on;
  if (!on) return nodeMoves(h.place) ? 'moves' : 'still';
  return 'joint' in on ? `on ${on.joint.joint}` : 'rides';
}

/** A wooden button. */
const Sign = () => (
  <svg width="16" height="16" aria-hidden>
    <circle cx="8" cy="8" r="5.800" fill="none" stroke="var(--rust)" strokeWidth="1.600" />
    <path
      d="M6.300 6.300h.010M9.700 6.300h.010M9.700 9.700h.010M6.300 9.700h.010"
      stroke="var(--rust)"
      strokeWidth="1.800"
      strokeLinecap="round"
    />
  </svg>
);
