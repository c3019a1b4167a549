/** Going along the frames from one thing to the next: keys of what is chosen, and snags. */
import { http, told, type Op } from '../api/http';
import { snagRuns } from '../loom/snags';
import { clock } from '../stream/clock';
import { chosenThing } from '../viewport/frame-chosen';
import { choosePoints } from './choice';
import { say } from './here';
import { movers } from './keys';
import { keyed } from './motion';
import { edit, tell } from './project';
import { now, openId } from './queries';
import { setView } from './view';

/** The numbers that move of what is chosen; of all where none of it does. */
function moving() {
  const scene = now.scene();
  if (!scene) return [];
  const all = movers(scene, now.schema());
  const thing = chosenThing();
  const own = all.filter((m) => thing && m.thing === `/${thing.kind}/${thing.id}`);
  return own.length > 0 ? own : all;
}

/** The frame nearest to this one on a side. */
const beyond = (frames: number[], way: 1 | -1) => {
  const rest = frames.filter((f) => (way > 0 ? f > clock.frame : f < clock.frame));
  return rest.length === 0 ? undefined : way > 0 ? Math.min(...rest) : Math.max(...rest);
};

/** Goes to the next key, or the one before. */
export function goToKey(way: 1 | -1) {
  const to = beyond(
    moving().flatMap((m) => m.motion.keys?.map((k) => k.frame) ?? []),
    way,
  );
  if (to !== undefined) clock.halt(Math.min(clock.last, Math.max(clock.first, to)));
}

/** Goes to the worst frame of the next run of snags, or of the one before, and chooses its worst point. */
export function goToSnag(way: 1 | -1) {
  const all = now.lanes().flatMap(snagRuns);
  const frame = beyond(
    all.map((s) => s.at),
    way,
  );
  const found = all.find((s) => s.at === frame);
  if (!found)
    return say({
      title: all.length === 0 ? 'No snags' : 'No more snags on that side',
      detail: all.length === 0 ? 'Nothing is wrong with what is computed.' : 'Go the other way.',
      tone: 'note',
    });
  clock.halt(found.at);
  setView({ body: found.body, grip: null });
  choosePoints([found.worst.point]);
}

/** Keys all numbers that move of what is chosen, at this frame, as they are; its whole place where none of it moves. */
export async function keyHere() {
  const thing = chosenThing();
  const scene = now.scene();
  if (!thing || !scene) return;
  const path = `/${thing.kind}/${thing.id}`;
  const own = movers(scene, now.schema())
    .filter((m) => m.thing === path)
    .map((m) => m.path);
  const stands = thing.kind === 'handles' || thing.kind === 'colliders';
  const paths = own.length > 0 ? own : stands ? ['position', 'turn'].flatMap((p) => [0, 1, 2].map((k) => `${path}/place/${p}/${k}`)) : [];
  const name = (scene[thing.kind]?.[thing.id] as { name?: string } | undefined)?.name ?? '';
  if (paths.length === 0)
    return say({ title: `Nothing of ${name} moves`, detail: 'Let a number move first, by the thread at its field.', tone: 'note' });
  try {
    const frame = clock.frame;
    const { numbers } = await told(
      http.POST('/api/projects/{id}/values', { params: { path: { id: openId() } }, body: { paths, first: frame, last: frame } }),
    );
    const patch = await Promise.all(
      paths.map(async (p, k): Promise<Op> => ({ op: 'add', path: p, value: await keyed(p, frame, numbers[k]?.[0] ?? 0) })),
    );
    await edit(`${name} key at ${frame}`, patch);
  } catch (e) {
    tell(e);
  }
}
