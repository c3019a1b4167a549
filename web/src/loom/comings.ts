/** How many pieces come with each frame, of bodies whose pieces come and go: from the stored frames themselves. */
import { useEffect, useState } from 'react';
import type { Lane } from '../api/http';
import { useScene } from '../state/queries';
import { fetchChunk, namesIn } from '../stream/chunks';
import type { Comings } from './weave';

const NONE: Comings = {};

async function comingsOf(lane: Lane): Promise<Comings[string]> {
  const out: Comings[string] = [];
  let before: Set<number> | null = null;
  for (const s of lane.stretches) {
    const chunk = s.chunk == null || s.slot == null ? null : await fetchChunk(s.chunk);
    for (let frame = s.first; frame <= s.last; frame += 1) {
      if (!chunk) {
        before = null;
        continue;
      }
      const names = namesIn(chunk, s.slot! + frame - s.first);
      const was: Set<number> | null = before;
      const count = was ? names.filter((n) => !was.has(n)).length : 0;
      if (count > 0) out.push({ frame, count });
      before = new Set(names);
    }
  }
  return out;
}

export function useComings(lanes: Lane[]): Comings {
  // Which bodies' pieces come and go, as one word, for that is the same while nothing of it changes.
  const own = useScene((s) =>
    Object.entries(s.bodies)
      .filter(([, b]) => 'drift' in b.kind && (b.kind.drift.source || b.kind.drift.shed))
      .map(([key]) => key)
      .join(' '),
  );
  const [found, setFound] = useState<Comings>(NONE);
  useEffect(() => {
    if (!own) return setFound(NONE);
    let wanted = true;
    const asked = lanes.filter((l) => own.split(' ').includes(l.body));
    void Promise.all(asked.map(async (l) => [l.body, await comingsOf(l)] as const)).then(
      (all) => wanted && setFound(Object.fromEntries(all.filter(([, list]) => list.length > 0))),
    );
    return () => {
      wanted = false;
    };
  }, [lanes, own]);
  return found;
}
