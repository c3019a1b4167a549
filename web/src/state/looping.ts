/** Finds the loop that jumps least, and makes it the scene's. */
import { http, told } from '../api/http';
import { say } from './here';
import { edit } from './project';
import { now, openId } from './queries';

/** Loops from half as long to half as long again are looked at. */
export async function findLoop() {
  const frames = now.scene()?.frames;
  const looped = frames?.loop;
  if (!frames || !looped) return;
  const count = frames.last - frames.first + 1;
  const shortest = Math.max(2, Math.round(looped.length / 2), (looped.blend ?? 0) + 1);
  const longest = Math.max(shortest, Math.min(count - 2, Math.round(1.5 * looped.length)));
  const query = { shortest, longest, blend: looped.blend ?? 0 };
  const found = await told(http.GET('/api/projects/{id}/loop/best', { params: { path: { id: openId() }, query } }));
  const { loop } = found;
  if (loop.from === looped.from && loop.length === looped.length)
    return say({ title: 'It is the best already', detail: `Of ${shortest} to ${longest} frames none jumps less.`, tone: 'note' });
  await edit(`Loop of ${loop.length} frames from ${loop.from}`, [{ op: 'replace', path: '/frames/loop', value: loop }]);
}
