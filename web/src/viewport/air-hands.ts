/** Fields and zones in the view: what is shown of them, and taking them by hand: the vane, beads at numbers, curves that are drawn. */
import { useEffect } from 'react';
import { useOutlines } from '../state/air';
import { useShownMap } from '../state/maps';
import { numberAt, setKey, useNow } from '../state/motion';
import { at as valueAt, facts, unitBy } from '../state/pointer';
import { edit, setValue } from '../state/project';
import { now, useScene, useSchema, useShapes } from '../state/queries';
import { isMotion, type Value } from '../state/value';
import { setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { stage } from './stage';

/** Outlines of the open field and its zones; of the zones of the shown map; of what the chosen pieces come from. */
export function useOutlinesShown(body: string | null, step: string) {
  const field = useView((v) => v.field);
  const map = useShownMap(body);
  const dusk = useView((v) => v.dusk);
  const placing = useView((v) => v.placing);
  const tool = useView((v) => v.tool);
  const drawing = useView((v) => v.drawing);
  useEffect(() => {
    drawn.count = 0;
    if (!drawing) return;
    // Before all other keys: Backspace takes a point back here, and removes nothing.
    const keys = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLInputElement;
      if (typing || !['Enter', 'Escape', 'Backspace'].includes(e.key)) return;
      e.preventDefault();
      e.stopPropagation();
      if (e.key !== 'Backspace') return setView({ drawing: null });
      const was = (valueAt(now.scene(), drawing) ?? []) as number[][];
      if (drawn.count <= 2 || was.length <= 2) return;
      drawn.count -= 1;
      void setValue('Last point taken back', drawing, was.slice(0, -1));
    };
    addEventListener('keydown', keys, true);
    return () => removeEventListener('keydown', keys, true);
  }, [drawing]);
  const comes =
    useScene((s) => {
      const kind = body ? s.bodies[body]?.kind : undefined;
      return Boolean(kind && 'drift' in kind && kind.drift.source);
    }) ?? false;
  const chosen =
    step === 'Air' && field
      ? `/fields/${field}`
      : step === 'Hold' && map
        ? `/bodies/${body}/maps/${map}`
        : step === 'Shape' && comes
          ? `/bodies/${body}/kind/drift/source`
          : null;
  const all = useOutlines(chosen !== null);
  useEffect(() => {
    stage.outlines.set(chosen ? all : [], chosen ? [chosen] : [], dusk);
    // Arms stand at the same place.
    stage.beads.set(chosen && !placing && !drawing && tool === 'look' ? all : [], chosen ? [chosen] : []);
    stage.draw(false);
  }, [all, chosen, dusk, placing, drawing, tool]);
}

/** How the air is drawn: of all fields or of the open one. */
export function useAirShown(step: string) {
  const [as, open] = [useView((v) => v.airAs), useView((v) => v.field)];
  const schema = useSchema();
  const of = useScene((s) => {
    const f = open ? s.fields?.[open] : undefined;
    return f && ([open!, unitBy(schema, Object.keys(f.act)[0]!, f.by)] as const);
  });
  const one = step === 'Air' && as.alone && of ? of : null;
  useEffect(() => {
    stage.air.setAs(step === 'Air' ? as : { ...as, as: 'streaks' }, one ? one[0] : null, one ? one[1] : 'm/s');
    stage.showFrame();
  }, [as, one?.[0], one?.[1], step]);
}

/** The vane of the open wind. */
export function useVane(step: string) {
  const open = useView((v) => v.field);
  const path = `/fields/${open}/act/wind/heading`;
  const said = useScene((s) =>
    step === 'Air' && open && s.fields?.[open] && 'wind' in s.fields[open].act && !s.fields[open].place
      ? (s.fields[open].act.wind.heading as Value)
      : undefined,
  );
  const heading = useNow(path, said);
  const { shapes } = useShapes();
  useEffect(() => {
    stage.vane.set(said === undefined ? null : heading, stage.bounds());
    stage.draw(false);
  }, [said === undefined, heading, shapes]);
}

/** Turns the open wind to a heading: a key at the frame where it moves. */
export function turnWind(heading: number) {
  const open = useView.getState().field;
  const field = open ? now.scene()?.fields?.[open] : undefined;
  if (!field || !('wind' in field.act)) return;
  const path = `/fields/${open}/act/wind/heading`;
  const said = valueAt(now.scene(), path) as Value | undefined;
  if (!isMotion(said)) return void setValue(`${field.name} heading`, path, Number(heading.toFixed(4)));
  // Counted on from where it is, so that a turn goes the short way.
  const was = stage.vane.heading;
  void setKey(
    `${field.name} heading`,
    path,
    clock.frame,
    was + ((((heading - was) % (2 * Math.PI)) + 3 * Math.PI) % (2 * Math.PI)) - Math.PI,
  );
}

/** Takes a number by its bead: what it is at the frame, also where it moves. */
export async function takeBead(path: string, x: number, y: number, isHeld: () => boolean) {
  const said = valueAt(now.scene(), path) as Value | undefined;
  const was = isMotion(said) ? await numberAt(path, clock.frame) : (said ?? facts(now.schema(), path).initial ?? 0);
  if (isHeld()) stage.beads.take(path, was as number, x, y);
}

/** Lets a number go: a key at the frame where it moves. */
export function dropBead() {
  const done = stage.beads.drop(false);
  if (!done) return;
  const { title, min, max } = facts(now.schema(), done.number);
  const whose = valueAt(
    now.scene(),
    done.number
      .split('/')
      .slice(0, done.number.startsWith('/fields') ? 3 : 5)
      .join('/'),
  ) as { name: string } | undefined;
  const to = Number(Math.min(max, Math.max(min, done.to)).toPrecision(4));
  const of = `${whose?.name ?? ''} ${title.toLowerCase()}`;
  const said = valueAt(now.scene(), done.number) as Value | undefined;
  if (isMotion(said)) void setKey(of, done.number, clock.frame, to);
  else void edit(of, [{ op: 'add', path: done.number, value: to }]);
}

/** Takes a place in the view into the curve that is being drawn. */
export function drawPoint(path: string, fresh: boolean, place: number[]) {
  const field = now.scene()?.fields?.[path.split('/')[2]!];
  const was = (valueAt(now.scene(), path) ?? []) as number[][];
  if (!field) return;
  // The curve is told beside the field's place: drawn as the outline says where that is.
  const o = stage.outlines.of(`/fields/${path.split('/')[2]}`);
  const own = o ? stage.under.within(o, place) : place;
  const points = fresh ? [own, own.map((c, k) => (k === 0 ? c + 0.01 : c))] : drawn.count === 1 ? [was[0]!, own] : [...was, own];
  drawn.count = fresh ? 1 : drawn.count + 1;
  drawn.last = place;
  void setValue(`${field.name} drawn`, path, points);
}
/** How many points were drawn since the drawing began, and the last of them in the world. */
export const drawn = { count: 0, last: null as number[] | null };
