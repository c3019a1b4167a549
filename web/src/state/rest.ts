/** Rest shapes: what a cloth comes back to. */
import { http, told } from '../api/http';
import { edit, tell } from './project';
import { now, openId } from './queries';
import { clothOf } from './value';

const pathOf = (body: string) => `/bodies/${body}/kind/cloth/rest`;

/** Gives a body a rest shape of its own, as it begins, to be changed by keys. */
export const growRest = (body: string, name: string) =>
  edit(`${name} has a rest shape of its own`, [{ op: 'add', path: pathOf(body), value: { scale: 1 } }]);

/** Keeps the points of a body where they are at a frame, and makes that what it comes back to. */
export async function restFromFrame(body: string, name: string, frame: number) {
  try {
    const made = await told(
      http.POST('/api/projects/{id}/bodies/{body}/freeze', {
        params: { path: { id: openId(), body } },
        body: { frame, smooth: 0, as_is: true },
      }),
    );
    const own = clothOf(now.scene()!.bodies[body]!)?.rest;
    const shape = { frame: { blob: made.blob } };
    const label = `${name} comes back to what it is at ${frame}`;
    await edit(label, [
      own ? { op: 'add', path: `${pathOf(body)}/shape`, value: shape } : { op: 'add', path: pathOf(body), value: { shape } },
    ]);
  } catch (error) {
    tell(error);
  }
}
