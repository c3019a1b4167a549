/** Readouts: how points of a body go over time, in the scene as it is and in takes. */
import { keepPreviousData, useQueries } from '@tanstack/react-query';
import { http, told } from '../api/http';
import { useLanes, useOpen } from './queries';
import type { Take } from '../api/http';

/** Takes that are read at once, beside the scene as it is. */
export const MOST_TAKES = 4;

/** Of the scene first, then of each take; what can't be read is left out. */
export function useReadouts(body: string, points: number[], takes: Take[], on: boolean) {
  const id = useOpen();
  const lane = useLanes((all) => JSON.stringify(all.find((l) => l.body === body)?.stretches.map((s) => [s.state, s.first, s.last])));
  const list = points.join(',');
  const of = [null, ...takes.slice(0, MOST_TAKES)];
  return useQueries({
    queries: of.map((take) => ({
      queryKey: ['readout', id, body, list, take?.id ?? 0, take ? '' : lane],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        told(
          http.GET('/api/projects/{id}/bodies/{body}/readout', {
            params: {
              path: { id, body },
              query: { ...(list ? { points: list } : {}), ...(take ? { take: take.id } : {}) },
            },
            signal,
          }),
        ),
      enabled: on && id > 0,
      placeholderData: keepPreviousData,
      structuralSharing: false as const,
      gcTime: 60_000,
      retry: 0,
    })),
    combine: (all) => ({
      read: all.flatMap((q, k) => (q.data && !q.isError ? [{ name: of[k]?.name ?? 'As it is', ...q.data }] : [])),
      fault: all[0]?.error?.message,
    }),
  });
}
export type Read = ReturnType<typeof useReadouts>['read'][number];
export type Reading = Read['readings'][number];

/** As the command line writes it, with a column that says of what. */
export function csv(read: Read[]): string {
  const rows = read.flatMap((r) =>
    r.readings.map((k) =>
      [`"${r.name.replaceAll('"', '""')}"`, k.frame, ...k.place, ...k.velocity, k.speed, k.way]
        .map((v) => (typeof v === 'number' ? Number(v.toPrecision(7)) : v))
        .join(','),
    ),
  );
  return ['take,frame,x_m,y_m,z_m,vx_m_per_s,vy_m_per_s,vz_m_per_s,speed_m_per_s,way_m', ...rows].join('\n') + '\n';
}

/** Frames by frame: what one of them has none of is a gap. */
export function columns(read: Read[], of: (r: Reading) => number): [number[], ...(number | null)[][]] {
  const frames = [...new Set(read.flatMap((r) => r.readings.map((k) => k.frame)))].sort((a, b) => a - b);
  const rows = read.map((r) => {
    const by = new Map(r.readings.map((k) => [k.frame, of(k)]));
    return frames.map((f) => by.get(f) ?? null);
  });
  return [frames, ...rows];
}
