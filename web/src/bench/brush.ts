/** The brush and the maps by key. */
import { beginPainting } from '../state/maps';
import { now } from '../state/queries';
import { goTo, setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { theBody } from './things';

const mapsOf = (body: string | null) => Object.keys((body && now.scene()?.bodies[body]?.maps) || {});

/** Shows the next map of the chosen body; after the last, none. */
export function nextMap() {
  const all: (string | null)[] = [...mapsOf(theBody()), null];
  const at = all.indexOf(useView.getState().map);
  goTo('Hold');
  setView({ map: all[(at + 1) % all.length] ?? null, layer: null, tool: 'look' });
}

/** Paints the map that is shown, or the first. */
export function paintShown() {
  const body = theBody();
  const all = mapsOf(body);
  const { map } = useView.getState();
  const found = map && all.includes(map) ? map : all[0];
  if (!body || !found) return;
  goTo('Hold');
  void beginPainting(body, found);
}

/** The chosen body, where it is of strands. */
export function strandsChosen(): string | null {
  const id = theBody();
  const body = id ? now.scene()?.bodies[id] : undefined;
  return id && body && 'strands' in body.kind ? id : null;
}

/** Combs the chosen strands, as they are at the first frame. */
export function combChosen() {
  const body = strandsChosen();
  if (!body) return;
  clock.halt(clock.first);
  goTo('Hold');
  // No wider than reaches a part of them.
  const own = now.scene()?.bodies[body]?.kind;
  const long = own && 'strands' in own ? own.strands.length : 1;
  setView((v) => ({
    tool: 'comb',
    points: [],
    handle: null,
    brush: { ...v.brush, radius: Math.min(v.brush.radius, Number((0.4 * long).toPrecision(2))) },
  }));
}

/** Makes the brush larger or smaller. */
export const scaleBrush = (by: number) =>
  setView((v) => ({ brush: { ...v.brush, radius: Math.min(10, Math.max(0.0005, Number((v.brush.radius * by).toPrecision(3)))) } }));

/** Makes the brush so many times as strong, at most wholly. */
export const strengthen = (by: number) =>
  setView((v) => ({ brush: { ...v.brush, strength: Math.min(1, Math.max(0.01, Number((v.brush.strength * by).toFixed(2)))) } }));
