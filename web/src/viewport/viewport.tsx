/** The view: a canvas that React never draws, with its few controls floating over it. */
import { useEffect, useRef, useState } from 'react';
import { useBody } from '../bench/bodies';
import { useScene } from '../store/scene';
import { setView, useView, type Tool } from '../store/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { stage, type Shown } from './stage';

export function Viewport() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { shapes, lanes, project } = useScene();
  const { wire, air, dusk, points, tool, step, collider } = useView();
  const [mode, setMode] = useState<'translate' | 'rotate'>('translate');
  const body = useBody();
  const [shown, setShown] = useState<Shown>({ state: 'missing', reasons: [] });
  const [frame, setFrame] = useState(0);

  useEffect(() => {
    if (!canvas.current) return;
    stage.onShown = (s) => {
      setShown((was) => (was.state === s.state && was.reasons.join() === s.reasons.join() ? was : s));
    };
    const draw = () => stage.draw();
    addEventListener('nematon-draw', draw);
    const off = stage.mount(canvas.current);
    return () => {
      off();
      removeEventListener('nematon-draw', draw);
    };
  }, []);
  useEffect(() => stage.setShapes(shapes), [shapes]);
  useEffect(() => stage.setLanes(lanes), [lanes]);
  const colliders = project?.scene.colliders;
  useEffect(() => stage.setColliders(project?.id ?? 0, colliders ?? {}), [project?.id, colliders]);
  const armed = step === 'Contact' && collider && colliders?.[collider] ? collider : null;
  useEffect(() => stage.chooseCollider(armed, mode), [armed, mode, colliders]);
  const floor = project?.scene.floor ? (project.scene.floor.height ?? 0) : null;
  useEffect(
    () => stage.setLook({ wire, air, dusk, floor, chosen: body, points }),
    [wire, air, dusk, floor, body, points, shapes, project?.revision],
  );
  // The words below the view need the frame only where it is not true.
  useEffect(() => {
    if (shown.state === 'true') return;
    const write = () => setFrame(clock.frame);
    write();
    return clock.subscribe(write);
  }, [shown.state]);

  return (
    <>
      <canvas
        ref={canvas}
        data-testid="view"
        aria-label="The scene"
        className="absolute inset-0 h-full w-full touch-none bg-linear-to-b from-[var(--sky-top)] to-[var(--sky-low)]"
        style={{ cursor: tool === 'look' ? 'grab' : 'crosshair' }}
      />
      {step === 'Hold' && body && <PickTools body={body} />}
      {armed && (colliders?.[armed]?.keys?.length ?? 0) === 0 && (
        <div role="toolbar" aria-label="Placing" className="absolute top-3.5 left-1/2 flex -translate-x-1/2 rounded-lg border border-line bg-raised/95 p-0.5 shadow-sm">
          {(['translate', 'rotate'] as const).map((m) => (
            <Button key={m} aria-pressed={mode === m} className={`!border-0 ${mode === m ? '!bg-ink text-ground' : '!bg-transparent'}`} onClick={() => setMode(m)}>
              {m === 'translate' ? 'Move' : 'Turn'}
            </Button>
          ))}
        </div>
      )}
      <ViewControls />
      {body && project && shapes[body] && (
        <p className="absolute right-3.5 bottom-3.5 flex gap-2 rounded-md border border-line bg-raised/95 px-2.5 py-1">
          <span className="text-faded">{project.scene.bodies[body]?.name}</span>
          <span className="num">{shapes[body].head.points.toLocaleString('en')}</span>
          <span className="text-faded">points</span>
        </p>
      )}
      {body && shown.state !== 'true' && shown.state !== 'coming' && (
        <p
          data-testid="frame-state"
          className={`absolute bottom-3.5 left-3.5 max-w-[60%] rounded-md border bg-raised/95 px-2.5 py-1 ${shown.state === 'stale' ? 'border-weld text-weld' : 'border-line text-faded'}`}
        >
          {shown.state === 'stale'
            ? `Frame ${frame} is out of date: ${shown.reasons[0] ?? 'the scene changed'}${shown.reasons.length > 1 ? ` and ${shown.reasons.length - 1} more` : ''}`
            : `Frame ${frame} is not computed: this is the rest shape`}
        </p>
      )}
    </>
  );
}

const TOOLS: { tool: Tool; name: string; hint: string }[] = [
  { tool: 'look', name: 'Look', hint: 'Drag turns the view, right drag moves it, the wheel comes closer' },
  { tool: 'pick', name: 'Pick', hint: 'Click a point; Shift adds, Alt takes away' },
  { tool: 'box', name: 'Box', hint: 'Drag over points; Shift adds, Alt takes away' },
];

/** Choosing points: a bar of tools, and over the view what catches clicks and draws the box. */
function PickTools({ body }: { body: string }) {
  const { tool, points } = useView();
  const [box, setBox] = useState<{ x: number; y: number; u: number; v: number } | null>(null);
  const choose = (found: number[], e: React.PointerEvent) => {
    const kept = new Set(e.shiftKey || e.altKey ? points : []);
    for (const p of found) {
      if (e.altKey) kept.delete(p);
      else kept.add(p);
    }
    setView({ points: [...kept] });
  };
  const at = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top] as const;
  };
  return (
    <>
      {tool !== 'look' && (
        <div
          data-testid="pick-surface"
          className="absolute inset-0 cursor-crosshair touch-none"
          onPointerDown={(e) => {
            if (e.button !== 0) return;
            const [x, y] = at(e);
            if (tool === 'pick') {
              const found = stage.pick(body, x, y);
              choose(found === null ? [] : [found], e);
            } else {
              e.currentTarget.setPointerCapture(e.pointerId);
              setBox({ x, y, u: x, v: y });
            }
          }}
          onPointerMove={(e) => {
            const [u, v] = at(e);
            if (box) setBox({ ...box, u, v });
          }}
          onPointerUp={(e) => {
            if (!box) return;
            const { x, y, u, v } = box;
            setBox(null);
            choose(stage.within(body, Math.min(x, u), Math.min(y, v), Math.max(x, u), Math.max(y, v)), e);
          }}
          onPointerCancel={() => setBox(null)}
        >
          {box && (
            <div
              className="absolute border border-woad bg-woad/10"
              style={{ left: Math.min(box.x, box.u), top: Math.min(box.y, box.v), width: Math.abs(box.u - box.x), height: Math.abs(box.v - box.y) }}
            />
          )}
        </div>
      )}
      <div role="toolbar" aria-label="Choosing points" className="absolute top-3.5 left-1/2 flex -translate-x-1/2 rounded-lg border border-line bg-raised/95 p-0.5 shadow-sm">
        {TOOLS.map((t) => (
          <Button
            key={t.tool}
            hint={t.hint}
            aria-pressed={tool === t.tool}
            className={`!border-0 ${tool === t.tool ? '!bg-ink text-ground' : '!bg-transparent'}`}
            onClick={() => setView({ tool: t.tool })}
          >
            {t.name}
          </Button>
        ))}
      </div>
    </>
  );
}

function ViewControls() {
  const { wire, air, dusk } = useView();
  const controls = [
    { name: 'Wireframe', key: 'W', on: wire, act: () => setView({ wire: !wire }), colour: 'var(--ink)', d: 'M2 6h16M2 12h16M6 2v16M13 2v16' },
    { name: 'Air', key: 'A', on: air, act: () => setView({ air: !air }), colour: 'var(--plum)', d: 'M2 7c5-5 8 4 16-1M2 13c5-5 8 4 16-1' },
    { name: 'Bring into view', key: 'F', on: undefined, act: () => stage.frame(), colour: 'var(--woad)', d: 'M2 7V2h5M13 2h5v5M18 13v5h-5M7 18H2v-5M10 10h.01' },
    { name: dusk ? 'Daylight' : 'Dusk', key: '', on: undefined, act: () => setView({ dusk: !dusk }), colour: 'var(--rust)', d: 'M3 14h14M6 14a4 4 0 0 1 8 0M10 3v3M3.500 7l2 2M16.500 7l-2 2M6 17h8' },
  ];
  return (
    <div role="toolbar" aria-label="View" className="absolute top-3.5 right-3.5 flex flex-col gap-1 rounded-lg border border-line bg-raised/95 p-1">
      {controls.map((c) => (
        <Button
          key={c.name}
          hint={c.key ? `${c.name} (${c.key})` : c.name}
          aria-label={c.name}
          aria-pressed={c.on}
          className={`!border-0 !p-1.5 ${c.on ? '!bg-woad-wash' : '!bg-transparent'}`}
          onClick={c.act}
        >
          <svg width="20" height="20" aria-hidden>
            <path d={c.d} fill="none" stroke={c.colour} strokeWidth="1.600" strokeLinecap="round" opacity={c.on === false ? 0.55 : 1} />
          </svg>
        </Button>
      ))}
    </div>
  );
}
