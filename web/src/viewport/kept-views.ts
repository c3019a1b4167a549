/** Views that are kept as cameras of the scene: keeping one, and looking through it. */
import { addCamera } from '../bench/things';
import { edit } from '../state/project';
import { now } from '../state/queries';
import { stage } from './stage';

let last: string | null = null;

/** Looks through a camera of the scene, as it stands at the frame. */
export function lookThrough(id: string) {
  const camera = now.scene()?.cameras?.[id];
  if (!camera) return;
  last = id;
  stage.views.lookFromCamera(id, camera);
}

/** The next of them, after the last that was looked through. */
export function nextView() {
  const ids = Object.keys(now.scene()?.cameras ?? {});
  if (ids.length > 0) lookThrough(ids[(ids.indexOf(last ?? '') + 1) % ids.length]!);
}

/** Keeps where one looks from. */
export const keepView = () => addCamera(stage.views.asCamera());

/** Puts a camera to where one looks from. */
export function setToView(id: string, name: string) {
  const { position, turn, angle } = stage.views.asCamera();
  return edit(`${name} set to this view`, [
    { op: 'add', path: `/cameras/${id}/place`, value: { position, turn } },
    { op: 'add', path: `/cameras/${id}/angle`, value: angle },
  ]);
}
