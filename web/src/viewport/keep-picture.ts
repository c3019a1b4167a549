import { client, now } from '../state/queries';
import { stage } from './stage';

const kept = new Map<number, string>();

/** Keeps a small picture of the project for the page of projects, where the one that is kept is another's. */
export async function keepPicture(id: number) {
  const project = now.project();
  if (!project || project.id !== id) return;
  const lanes = now.lanes();
  const of = `${project.revision}/${lanes.map((l) => l.counts.true).join()}`;
  if (kept.get(id) === of) return;
  kept.set(id, of);
  const picture = await stage.pictures.small(320, 200);
  if (!picture) return void kept.delete(id);
  // Who can't keep it now keeps the next.
  const done = await fetch(`/api/projects/${id}/picture?revision=${project.revision}`, { method: 'PUT', body: picture }).catch(() => null);
  if (!done?.ok) kept.delete(id);
  else void client.invalidateQueries({ queryKey: ['projects'] });
}
