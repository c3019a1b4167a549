/** Trying an edit: its first frames as the core computes them. */
import type { AttemptHead, Op } from './http';
import { readHead } from './shape';

export type AttemptFrame = { frame: number; places: Map<string, Float32Array> };

/** Gives each frame as it comes, until there are no more or the signal ends it. */
export async function attempt(
  project: number,
  patch: Op[],
  body: string,
  frames: number,
  signal: AbortSignal,
  onFrame: (f: AttemptFrame) => void,
) {
  const response = await fetch(`/api/projects/${project}/attempt`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ patch, body, frames }),
    signal,
  });
  if (!response.ok || !response.body) return;
  const reader = response.body.getReader();
  let held = new Uint8Array();
  let head: AttemptHead | null = null;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const joined = new Uint8Array(held.length + value.length);
    joined.set(held);
    joined.set(value, held.length);
    held = joined;
    if (!head) {
      if (held.length < 4) continue;
      const length = new DataView(held.buffer).getUint32(0, true);
      if (held.length < 4 + length) continue;
      let from: number;
      [head, from] = readHead<AttemptHead>(held.buffer);
      held = held.slice(from);
    }
    const size = 4 + head.bodies.reduce((n, b) => n + 12 * b.points, 0);
    while (held.length >= size) {
      const one = held.slice(0, size);
      held = held.slice(size);
      let at = 4;
      const places = new Map(
        head.bodies.map((b) => [b.body, new Float32Array(one.buffer, (at += 12 * b.points) - 12 * b.points, 3 * b.points)]),
      );
      onFrame({ frame: new DataView(one.buffer).getInt32(0, true), places });
    }
  }
}
