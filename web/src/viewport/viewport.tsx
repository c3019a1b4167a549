/** The view: a canvas that React never draws, with its few controls floating over it. */
import { useEffect, useMemo, useRef, useState } from 'react';
import { useBody } from '../bench/use-body';
import { chooseRow } from '../bench/grips';
import { setDown, theBody } from '../bench/things';
import { choosePoints } from '../state/choice';
import { now, useHairs, useLimbs, useOpen, useLanes, useProject, useScene, useShapes, useFinishes } from '../state/queries';
import { standOnSpot } from '../state/motion';
import { clothOf, nodeMoves } from '../state/value';
import { letGo, tryOut } from '../state/tried';
import { airSeen, goTo, isBrush, see, setView, useView, type Arms, type Tool } from '../state/view';
import { clock } from '../stream/clock';
import { rehearse, useRehearsal } from '../stream/rehearsal';
import { Button } from '../ui/button';
import { count } from '../ui/sum';
import { keepPicture } from './keep-picture';
import { BrushRing, BrushTools } from './brush-tools';
import { CombRing, CombTools } from './comb-tools';
import { ComparedLegend } from './compared';
import { PictureEdges } from './picture-edges';
import { stage, type Armed, type Hit, type Shown } from './stage';
import { drawn, drawPoint, dropBead, takeBead, turnWind, useAirShown, useOutlinesShown, useVane } from './air-hands';
import { AirLegend, AirTools } from './air-tools';
import { RehearseBar } from './rehearse-bar';
import { SwatchWall } from './swatch-wall';
import { ViewSwitches } from './view-switches';
import { useOutlines } from '../state/air';
import { at as valueAt } from '../state/pointer';
import { useShownMap, useMap } from '../state/maps';
import { DYED_DEEP } from '../state/dyes';

const NOTHING: never[] = [];
const NONE: Record<string, never> = {};

export function Viewport() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const labels = useRef<HTMLDivElement>(null);
  const id = useOpen();
  const { shapes } = useShapes();
  const lanes = useLanes((l) => l) ?? NOTHING;
  const bodies = useScene((s) => s.bodies) ?? NONE;
  const colliders = useScene((s) => s.colliders) ?? NONE;
  const floor = useScene((s) => (s.floor ? (s.floor.height ?? 0) : null)) ?? null;
  const revision = useProject((p) => p.revision);
  const [wire, air, dusk, points, tool, step] = [
    useView((v) => v.wire),
    useView(airSeen),
    useView((v) => v.dusk),
    useView((v) => v.points),
    useView((v) => v.tool),
    useView((v) => v.step),
  ];
  const scenery = useView((v) => v.scenery);
  const hidden = useView((v) => v.seen[id]?.hidden) ?? NOTHING;
  const body = useBody();
  const [shown, setShown] = useState<Shown>({ state: 'missing', reasons: [] });
  const spotFor = useView((v) => v.spotFor !== null);
  const [drag, setDrag] = useState<Box | null>(null);
  const [line, setLine] = useState<[number, number][]>([]);
  useMapsShown(body, step === 'Hold' && tool !== 'comb', shapes);
  useHairsShown();
  useLimbsShown(shapes);
  const finishes = useFinishes();
  const steady = useScene((s) => s.bodies);
  useEffect(
    () =>
      stage.setFinishes(
        finishes,
        Object.fromEntries(Object.entries(steady ?? {}).map(([key, b]) => [key, b.finish?.on === false ? 0 : (b.finish?.steady ?? 0)])),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [finishes, shapes, id, JSON.stringify(Object.values(steady ?? {}).map((b) => b.finish?.steady))],
  );
  const pieces = Boolean(body && shapes[body]?.radii.length && !shapes[body].strands.length);
  const pressed = useView((v) => v.piece);
  const piece = pieces && pressed?.body === body ? pressed : null;
  const goes = piece?.along ? piece.point : null;
  useEffect(() => stage.setAlong(body && goes !== null ? { body, point: goes } : null), [body, goes, shapes]);
  const strands = useScene((s) => Boolean(body && s.bodies[body] && 'strands' in s.bodies[body].kind)) ?? false;
  const combs = tool === 'comb' && step === 'Hold' && strands;
  useEffect(() => stage.setCombed(combs ? body : null), [combs, body, shapes, id]);
  useOutlinesShown(body, step);
  useAirShown(step);
  useVane(step);

  useEffect(() => {
    if (!canvas.current || !labels.current || id === 0) return;
    stage.onShown = (s) =>
      setShown((was) => (was.state === s.state && was.reasons.join() === s.reasons.join() && was.there === s.there ? was : s));
    stage.onLook = (camera) => see(id, { camera });
    stage.onRest = () => keepPicture(id);
    stage.labels.mount(labels.current);
    const off = stage.mount(canvas.current, useView.getState().seen[id]?.camera);
    return off;
  }, [id]);
  useEffect(() => stage.setBodies(bodies), [bodies, id]);
  useEffect(() => stage.setShapes(shapes), [shapes, id]);
  useEffect(() => stage.setLanes(lanes), [lanes, id]);
  const handles = useScene((s) => s.handles) ?? NONE;
  const figures = useScene((s) => s.figures) ?? NONE;
  const cameras = useScene((s) => s.cameras) ?? NONE;
  const frames = useScene((s) => s.frames);
  useEffect(() => {
    if (frames) stage.setThings(id, { colliders, handles, figures, cameras, frames });
  }, [id, colliders, handles, figures, cameras, frames]);
  useEffect(
    () => stage.setLook({ wire, air, scenery, dusk, floor, chosen: body, points, tool, hidden }),
    [wire, air, scenery, dusk, floor, body, points, tool, hidden, shapes, revision, id],
  );
  const grip = useView((v) => v.grip);
  useEffect(() => stage.setSeams(step === 'Shape' || step === 'Hold' ? body : null), [step, body, bodies, shapes, id]);
  useEffect(() => stage.setTies(step === 'Hold' ? body : null, grip), [step, body, grip, bodies, shapes, handles, id]);
  const borders = step === 'Hold' && body ? shapes[body]?.head.borders : undefined;
  useEffect(() => {
    stage.labels.set(
      'borders',
      body && borders && borders.length <= 8 && !combs
        ? borders.map((b) => ({ text: b.name, body, point: b.points[b.points.length >> 1]! }))
        : [],
    );
    stage.draw(false);
  }, [borders, body, combs, id]);

  return (
    <>
      <canvas
        ref={canvas}
        data-testid="view"
        tabIndex={0}
        aria-label={tool === 'look' ? 'The scene: drag turns the view' : 'The scene: arrows go from point to point, Enter takes one'}
        className="absolute inset-0 h-full w-full touch-none outline-none focus-visible:shadow-[inset_0_0_0_2px_var(--woad)]"
        style={{ cursor: tool === 'look' && !spotFor ? 'grab' : 'crosshair' }}
        {...pointer(body, tool, setDrag, drag, setLine)}
      />
      {/* Without a size of its own: a layer over all of the view would cost as much as the view. */}
      <div ref={labels} className="pointer-events-none absolute top-0 left-0 size-0" />
      {drag && (
        <div
          className="pointer-events-none absolute border border-woad bg-woad/10"
          style={{
            left: Math.min(drag.x, drag.u),
            top: Math.min(drag.y, drag.v),
            width: Math.abs(drag.u - drag.x),
            height: Math.abs(drag.v - drag.y),
          }}
        />
      )}
      {line.length > 1 && (
        <svg aria-hidden className="pointer-events-none absolute inset-0 h-full w-full">
          <polygon
            points={line.map((p) => p.join()).join(' ')}
            fill="var(--woad)"
            fillOpacity="0.1"
            stroke="var(--woad)"
            strokeDasharray="4 3"
          />
        </svg>
      )}
      <PictureEdges />
      {step === 'Hold' && body && !combs && <BrushRing body={body} />}
      {combs && body && <CombRing body={body} />}
      <div className="pointer-events-none absolute inset-x-0 top-3.5 mx-auto flex w-fit max-w-[calc(100%-24px)] flex-col items-center gap-1 *:pointer-events-auto">
        {step === 'Hold' && body && !isBrush(tool) && <PickTools />}
        {combs && body && <CombTools body={body} />}
        {step === 'Hold' && body && tool === 'paint' && <BrushTools />}
        {step === 'Air' && <AirTools />}
        <ArmTools />
        <RehearseBar />
      </div>
      {body && shapes[body] && (
        <p className="pointer-events-none absolute right-2 bottom-2 flex max-w-[40%] max-[1000px]:bottom-11 gap-2 rounded-md border border-line bg-raised/95 px-2.5 py-1">
          <span className="truncate text-faded">{bodies[body]?.name}</span>
          <span className="num shrink-0">
            {count(shown.there ?? shapes[body].head.points, pieces ? 'piece' : 'point')}
            {pieces && shown.lying ? `, ${shown.lying} ${shown.lying === 1 ? 'lies' : 'lie'}` : ''}
          </span>
          {piece && (
            <button
              type="button"
              aria-pressed={piece.along}
              title={piece.along ? 'The camera goes along with this piece; press, and it stays' : 'The camera goes along with this piece'}
              className={`pointer-events-auto shrink-0 ${piece.along ? 'font-semibold text-ink' : 'text-woad'}`}
              onClick={() => setView({ piece: { ...piece, along: !piece.along } })}
            >
              {piece.along ? 'Along with' : 'Go along with'} {piece.point}
            </button>
          )}
        </p>
      )}
      <div className="pointer-events-none absolute bottom-2 left-2 flex max-w-[58%] max-[1000px]:max-w-full flex-col items-start gap-1.5">
        {air && <AirLegend />}
        <ComparedLegend />
        <FrameState shown={shown} of={Boolean(body)} />
        <ViewSwitches />
      </div>
      <SwatchWall />
    </>
  );
}

/** Shows the chosen map of the chosen body as dye, and another as hatching. */
function useMapsShown(body: string | null, on: boolean, shapes: unknown) {
  const map = useShownMap(body);
  const hatched = useView((v) => v.hatch);
  const maps = useScene((s) => (body ? s.bodies[body]?.maps : undefined));
  const soak = useMap(body ?? '', on ? map : null).now;
  const hatch = useMap(body ?? '', on && hatched && hatched !== map && maps?.[hatched] ? hatched : null).now;
  const colour = (key: string | null) => DYED_DEEP[(key && maps?.[key]?.dye) || 'woad'];
  const [soaked, over] = [colour(map), colour(hatched)];
  useEffect(() => {
    stage.setMaps(
      body && (soak || hatch)
        ? {
            body,
            soak: soak ? { weights: soak.weights, colour: soaked } : null,
            hatch: hatch ? { weights: hatch.weights, colour: over } : null,
          }
        : null,
    );
  }, [body, soak, hatch, soaked, over, shapes]);
}

/** Shows the hairs between strands, of all bodies that have them. */
function useHairsShown() {
  const between = useHairs();
  const as = useView((v) => v.strandsAs);
  useEffect(() => stage.setHairs(between, as), [between, as]);
}

/** Shows plants as the meshes that they are as. */
function useLimbsShown(shapes: unknown) {
  const limbs = useLimbs();
  useEffect(() => stage.setLimbs(limbs), [limbs, shapes]);
}

/** What the frame on screen is, where it is not true. */
function FrameState({ shown, of }: { shown: Shown; of: boolean }) {
  const [frame, setFrame] = useState(clock.frame);
  const rehearsing = useRehearsal((r) => r.state !== 'off');
  const quiet = !of || rehearsing || ['true', 'coming', 'combed'].includes(shown.state);
  useEffect(() => {
    if (quiet) return;
    const write = () => setFrame(clock.frame);
    write();
    return clock.subscribe(write);
  }, [quiet]);
  if (quiet) return null;
  const { state, reasons } = shown;
  return (
    <p
      data-testid="frame-state"
      className={`rounded-md border bg-raised/95 px-2.5 py-1 ${state === 'stale' ? 'border-weld text-weld' : 'border-line text-faded'}`}
    >
      {state === 'trial'
        ? 'Tried as you drag: the first frames as they would be'
        : state === 'stale'
          ? `Frame ${frame} is out of date: ${reasons[0] ?? 'the scene changed'}${reasons.length > 1 ? ` and ${reasons.length - 1} more` : ''}`
          : `Frame ${frame} is not computed: this is the rest shape`}
    </p>
  );
}

type Box = { x: number; y: number; u: number; v: number };
type Press = { x: number; y: number; moved: boolean; escape: () => void };

let press: Press | null = null;
/** The vane is held: the heading it had. */
let vane: number | null = null;
/** A bead is held: the path of its number. */
let bead: string | null = null;
let lasso: [number, number][] = [];
/** A stroke that is under way: how it goes on, and ends. */
let stroke: { move: (x: number, y: number, pressure: number) => void; end: () => void } | null = null;

/** Begins a stroke of a brush; none where there is nothing to brush. */
function beginStroke(tool: Tool, body: string | null, x: number, y: number, pressure: number): typeof stroke {
  const { painter, comber } = stage;
  if (tool === 'comb') {
    if (!body || !comber.begin(body, x, y, pressure)) return null;
    return { move: (u, v, p) => comber.move(body, u, v, p), end: () => comber.end() };
  }
  const on = paintedOn(body);
  if (!on || !painter.begin(on, x, y, pressure)) return null;
  return { move: (u, v, p) => painter.move(on, u, v, p), end: () => painter.end() };
}

/** The layer that a brush paints on. */
function paintedOn(body: string | null) {
  const { map, layer } = useView.getState();
  return body && map && layer !== null ? { body, map, layer } : null;
}

/** Clicks choose: points while points are chosen, things else. Drags are the camera's, or a box around points. */
function pointer(
  body: string | null,
  tool: Tool,
  setDrag: (b: Box | null) => void,
  drag: Box | null,
  setLine: (l: [number, number][]) => void,
) {
  const at = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top] as const;
  };
  const take = (found: number[], e: { shiftKey: boolean; altKey: boolean }) => {
    const kept = new Set(e.shiftKey || e.altKey ? useView.getState().points : []);
    for (const p of found) {
      if (e.altKey) kept.delete(p);
      else kept.add(p);
    }
    choosePoints([...kept]);
  };
  const end = () => {
    if ((vane !== null || bead !== null) && stage.controls) stage.controls.enabled = true;
    if (vane !== null) letGo();
    stage.beads.drop(true);
    [vane, bead] = [null, null];
    press?.escape();
    press = null;
    stroke = null;
    lasso = [];
    setLine([]);
    setDrag(null);
  };
  return {
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0 || stage.armsAreNear) return;
      const [x, y] = at(e);
      const escape = (k: KeyboardEvent) => {
        if (k.key !== 'Escape' || (vane === null && bead === null && (tool === 'look' || tool === 'pick'))) return;
        k.stopPropagation();
        if (vane !== null) stage.vane.turn(vane);
        stage.beads.drop(true);
        stage.painter.cancel();
        stage.comber.cancel();
        end();
        stage.draw(false);
      };
      bead = stage.beads.at(x, y, stage.onCanvas);
      if (bead !== null) {
        const taken = bead;
        void takeBead(taken, x, y, () => bead === taken);
        if (stage.controls) stage.controls.enabled = false;
        e.currentTarget.setPointerCapture(e.pointerId);
      } else if (stage.under.isOnVane(x, y)) {
        vane = stage.vane.heading;
        if (stage.controls) stage.controls.enabled = false;
        e.currentTarget.setPointerCapture(e.pointerId);
      }
      addEventListener('keydown', escape, true);
      press = { x, y, moved: false, escape: () => removeEventListener('keydown', escape, true) };
      if (tool === 'box') {
        e.currentTarget.setPointerCapture(e.pointerId);
        setDrag({ x, y, u: x, v: y });
      } else if (tool === 'lasso') {
        e.currentTarget.setPointerCapture(e.pointerId);
        lasso = [[x, y]];
      } else if (isBrush(tool)) {
        stroke = beginStroke(tool, body, x, y, pressureOf(e));
        if (stroke) e.currentTarget.setPointerCapture(e.pointerId);
      }
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (!press) return;
      const [u, v] = at(e);
      if (bead !== null) {
        stage.beads.drag(u, v, stage.onCanvas);
        stage.draw();
        return;
      }
      if (vane !== null) {
        const to = stage.vane.toward(stage.picker.ray(u, v).ray);
        if (to !== null) {
          stage.vane.turn(to);
          tryOut(`/fields/${useView.getState().field}/act/wind/heading`, to, null);
        }
        stage.draw();
        return;
      }
      press.moved ||= Math.hypot(u - press.x, v - press.y) > 4;
      if (drag) setDrag({ ...drag, u, v });
      if (tool === 'lasso' && Math.hypot(u - lasso.at(-1)![0], v - lasso.at(-1)![1]) > 3) setLine((lasso = [...lasso, [u, v]]));
      stroke?.move(u, v, pressureOf(e));
    },
    onPointerUp: (e: React.PointerEvent) => {
      const [p, around, turned] = [press, lasso, vane];
      if (bead !== null && p) {
        dropBead();
        end();
        return;
      }
      stroke?.end();
      end();
      if (!p) return;
      if (turned !== null) {
        if (stage.vane.heading !== turned) turnWind(stage.vane.heading);
        return;
      }
      const { through, spotFor, drawing, step } = useView.getState();
      const [x, y] = at(e);
      if (tool === 'box' && body) {
        take(stage.picker.within(body, Math.min(p.x, x), Math.min(p.y, y), Math.max(p.x, x), Math.max(p.y, y), through), e);
      } else if (tool === 'lasso' && body && around.length > 2) {
        take(stage.picker.inside(body, around, through), e);
      } else if (tool === 'pick' && step === 'Air') {
        const why = stage.under.point(x, y);
        if (why) setView({ why, body: why.body, points: [why.point], tool: 'look' });
      } else if (tool === 'pick' && body) {
        const found = stage.picker.pick(body, x, y, through);
        take(found === null ? [] : [found], e);
      } else if (spotFor && !p.moved) {
        void standOnSpot(spotFor, stage.under.spot(x, y));
      } else if (drawing && !p.moved) {
        const place = stage.under.place(x, y, drawn.count > 0 ? drawn.last : null);
        if (place) drawPoint(drawing, drawn.count === 0, place);
      } else if (tool === 'look' && !p.moved) {
        const hit = stage.under.hit(x, y);
        // Pressed once more, a piece is chosen of its body.
        const mine = theBody();
        const again = mine && isPieces(mine) && (!hit || (hit.kind === 'bodies' && hit.id === mine));
        const piece = again ? stage.picker.piece(mine, x, y) : null;
        if (piece !== null) setView({ piece: { body: mine!, point: piece, along: useView.getState().piece?.along ?? false } });
        else choose(hit);
      }
    },
    onPointerCancel: () => {
      stage.painter.cancel();
      stage.comber.cancel();
      end();
    },
    onDoubleClick: (e: React.MouseEvent) => {
      if (tool !== 'pick' || !body || useView.getState().step !== 'Hold') return;
      const r = e.currentTarget.getBoundingClientRect();
      const edge = stage.picker.edge(body, e.clientX - r.left, e.clientY - r.top, useView.getState().through);
      if (edge) void chooseRow(body, edge, e.shiftKey ? useView.getState().points : []);
    },
    onKeyDown: (e: React.KeyboardEvent) => {
      if (tool === 'look' || isBrush(tool) || !body) return;
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      const { points } = useView.getState();
      if (way) {
        e.preventDefault();
        const from = points.at(-1);
        const next = from === undefined ? 0 : stage.picker.towards(body, from, way[0]!, way[1]!);
        if (next === null) return;
        // With Shift the ones before stay chosen.
        choosePoints([...(e.shiftKey ? points.filter((p) => p !== next) : []), next]);
      }
    },
  };
}

/** Whether a body is of loose pieces. */
const isPieces = (id: string) => {
  const kind = now.scene()?.bodies[id]?.kind;
  return kind !== undefined && 'drift' in kind;
};

/** How hard a pen is pressed; a mouse is pressed wholly. */
const pressureOf = (e: React.PointerEvent) => (e.pointerType === 'pen' && e.pressure > 0 ? e.pressure : 1);

function choose(hit: Hit | null) {
  if (!hit) return;
  if (hit.kind === 'bodies') {
    if (theBody() !== hit.id) setView({ body: hit.id, grip: null, points: [] });
    else setView({ body: hit.id });
    if (useView.getState().step === 'Contact') setView({ collider: null });
  } else if (hit.kind === 'handles') {
    setView({ handle: hit.id });
    goTo('Hold');
  } else if (hit.kind === 'figures') {
    setView({ figure: hit.id });
    goTo('Shape');
  } else {
    setView({ collider: hit.id });
    goTo('Contact');
  }
}

const BAR = 'flex w-fit max-w-full flex-wrap rounded-lg border border-line bg-raised/95 p-0.5 shadow-sm';

/** A row of words of which one is pressed. */
function Words<K extends string>({
  label,
  of,
  is,
  onPick,
  more,
}: {
  label: string;
  of: readonly { key: K; name: string; hint: string }[];
  is: K;
  onPick: (k: K) => void;
  more?: React.ReactNode;
}) {
  return (
    <div role="toolbar" aria-label={label} className={BAR}>
      {of.map((t) => (
        <Button
          key={t.key}
          hint={t.hint}
          aria-pressed={is === t.key}
          className={`!border-0 ${is === t.key ? '!bg-ink text-ground' : '!bg-transparent'}`}
          onClick={() => onPick(t.key)}
        >
          {t.name}
        </Button>
      ))}
      {more}
    </div>
  );
}

const TOOLS = [
  { key: 'look', name: 'Look', hint: 'Drag turns the view, right drag moves it, the wheel comes closer' },
  { key: 'pick', name: 'Pick', hint: 'Click a point; Shift adds, Alt takes away' },
  { key: 'box', name: 'Box', hint: 'Drag over points; Shift adds, Alt takes away' },
  { key: 'lasso', name: 'Lasso', hint: 'Draw around points; Shift adds, Alt takes away' },
] as const;

/** Choosing points: by click or box, those that can be seen or all. */
function PickTools() {
  const tool = useView((v) => v.tool);
  const through = useView((v) => v.through);
  return (
    <Words
      label="Choosing points"
      of={TOOLS}
      is={tool}
      onPick={(t) => setView({ tool: t })}
      more={
        tool !== 'look' && (
          <Button
            hint={through ? 'Points that others hide are taken too' : 'Only points that can be seen are taken'}
            aria-pressed={through}
            className={`!border-0 border-l ${through ? '!bg-woad-wash' : '!bg-transparent'}`}
            onClick={() => setView({ through: !through })}
          >
            Through layers
          </Button>
        )
      }
    />
  );
}

const ARMS = [
  { key: 'none', name: 'No arms', hint: 'Clicks choose, drags turn the view' },
  { key: 'translate', name: 'Move', hint: 'Arms to move it by; Escape while dragging puts it back' },
  { key: 'rotate', name: 'Turn', hint: 'Rings to turn it by; Escape while dragging puts it back' },
] as const;

/** Arms for the chosen body at its start, or for the chosen collider where no keys move it. */
function ArmTools() {
  const step = useView((v) => v.step);
  const id = useOpen();
  const body = useBody();
  const collider = useView((v) => v.collider);
  const [bodyArms, colliderArms, snap] = [useView((v) => v.bodyArms), useView((v) => v.colliderArms), useView((v) => v.snap)];
  const { shapes } = useShapes();
  const still = useScene((s) => (collider && s.colliders?.[collider] ? !nodeMoves(s.colliders[collider].place) : false));
  const all = useScene((s) => [s.colliders, s.handles]);
  // What is cut from a figure begins where that is.
  const cut = useScene((s) => Boolean(body && s.bodies[body] && 'figure' in (clothOf(s.bodies[body])?.shape ?? {}))) ?? false;
  const handle = useView((v) => v.handle);
  const held = useScene((s) => Boolean(handle && s.handles?.[handle])) ?? false;
  const tool = useView((v) => v.tool);
  const keys = useView((v) => v.keyAsDragged);
  const [start, setStart] = useState(clock.frame === clock.first);
  useEffect(() => clock.subscribe(() => setStart(clock.frame === clock.first)), []);
  const placing = useView((v) => v.placing);
  const outlined = useOutlines(placing !== null);
  const placed = useScene((s) =>
    placing
      ? (
          valueAt(
            s,
            placing
              .split('/')
              .slice(0, placing.startsWith('/fields') ? 3 : 5)
              .join('/'),
          ) as { name?: string } | undefined
        )?.name
      : undefined,
  );
  const on = useMemo<Armed | null>(() => {
    if (placing && placed !== undefined && (step === 'Air' || step === 'Hold') && outlined.some((o) => o.path === placing))
      return { kind: 'places', id: placing, name: placed };
    if (step === 'Contact' && collider && still) return { kind: 'colliders', id: collider };
    if (step === 'Hold') return handle && held ? { kind: 'handles', id: handle } : null;
    return step === 'Shape' && body && !cut ? { kind: 'bodies', id: body } : null;
  }, [step, collider, still, body, handle, held, cut, placing, placed, outlined]);
  const mode: Arms = on?.kind === 'bodies' ? bodyArms : on?.kind === 'places' && colliderArms === 'none' ? 'translate' : colliderArms;
  useEffect(() => stage.arm(on, mode, snap), [on, mode, snap, shapes, all, start, id, outlined]);
  const rehearsing = useRehearsal((r) => r.state !== 'off');
  useEffect(() => {
    if (!rehearsing) stage.letGo();
    else if (on?.kind === 'handles') stage.handles.held = on.id;
    else if (on?.kind === 'colliders') stage.colliders.held = on.id;
  }, [rehearsing, on]);
  const bodyName = useScene((s) => (body ? s.bodies[body]?.name : undefined));
  const moved = useScene((s) => {
    if (!on || on.kind === 'bodies' || on.kind === 'figures') return null;
    if (on.kind === 'places') return { place: `${on.id}/place`, name: on.name };
    const name = on.kind === 'handles' ? s.handles?.[on.id]?.name : s.colliders?.[on.id]?.name;
    return name ? { place: `/${on.kind}/${on.id}/place`, name } : null;
  });
  if (!on || rehearsing || (on.kind === 'handles' && isBrush(tool))) return null;
  return (
    <Words
      label="Placing"
      of={ARMS}
      is={mode}
      onPick={(m) => {
        setView(on.kind === 'bodies' ? { bodyArms: m } : on.kind === 'places' && m === 'none' ? { placing: null } : { colliderArms: m });
        // Only its start can be placed.
        if (on.kind === 'bodies' && m !== 'none' && !start) clock.halt(clock.first);
      }}
      more={
        <>
          {mode !== 'none' && (
            <Button
              hint="By 0.1 m and 15°"
              aria-pressed={snap}
              className={`!border-0 ${snap ? '!bg-woad-wash' : '!bg-transparent'}`}
              onClick={() => setView({ snap: !snap })}
            >
              Snap
            </Button>
          )}
          {moved && body && (
            <Button
              hint={`Runs ${bodyName ?? 'the body'} while you move it, from the frame on screen`}
              className="!border-0 !bg-transparent"
              onClick={() => rehearse({ ...moved, body })}
            >
              Rehearse
            </Button>
          )}
          {on.kind === 'handles' || on.kind === 'places' ? (
            <Button
              hint="Where it is let go becomes a key at the frame"
              aria-pressed={keys}
              className={`!border-0 ${keys ? '!bg-madder text-on-madder' : '!bg-transparent'}`}
              onClick={() => setView({ keyAsDragged: !keys })}
            >
              Key as I drag
            </Button>
          ) : (
            <Button
              hint="On what lies below it"
              className="!border-0 !bg-transparent"
              onClick={() => void setDown(on.kind as 'bodies' | 'colliders', on.id)}
            >
              Set down
            </Button>
          )}
        </>
      }
    />
  );
}
