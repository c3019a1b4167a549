import { theBody } from '../bench/things';
import { now } from '../state/queries';
import { lookThrough } from './kept-views';
import { useView } from '../state/view';
import { stage } from './stage';

/** What is chosen in the step that is open. */
export function chosenThing(): { kind: 'bodies' | 'colliders' | 'fields' | 'handles' | 'figures' | 'cameras'; id: string } | null {
  const { step, field, collider, handle, figure, camera } = useView.getState();
  const body = theBody();
  if (step === 'Air' && field) return { kind: 'fields', id: field };
  if (step === 'Contact' && collider && now.scene()?.colliders?.[collider]) return { kind: 'colliders', id: collider };
  if (step === 'Hold' && handle) return { kind: 'handles', id: handle };
  if (step === 'Shape' && figure) return { kind: 'figures', id: figure };
  if (step === 'Hand over' && camera && now.scene()?.cameras?.[camera]) return { kind: 'cameras', id: camera };
  return body ? { kind: 'bodies', id: body } : null;
}

/** Brings what is chosen into view; all where nothing is. */
export function frameChosen() {
  const thing = chosenThing();
  if (thing?.kind === 'cameras') lookThrough(thing.id);
  else if (thing) stage.views.frameThing(thing.kind, thing.id);
  else stage.views.frame(null);
}
