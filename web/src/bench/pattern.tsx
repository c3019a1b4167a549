/** The pattern of a body cut to outlines: corners are dragged, added on a side, and taken away. */
import { useEffect, useRef, useState } from 'react';
import { readCurves } from '../state/air';
import { say, setHere, useHere } from '../state/here';
import { editBy } from '../state/project';
import { clothOf } from '../state/value';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { Actions, Note } from '../ui/section';

type P = [number, number];
type Panels = { panels: { name: string; outline: number[][] }[]; every: number };

const W = 264;
const H = 190;

/** What is said anew when the outline changes: both panels of a pair that is one outline, and the seams around them. */
function reshape(id: string, of: string, outline: P[]) {
  return editBy((scene) => {
    const own = clothOf(scene.bodies[id]!);
    if (!own || !('panels' in own.shape)) return null;
    const first = JSON.stringify(own.shape.panels.panels[0]!.outline);
    const round = outline.map((p) => p.map((c) => Number(c.toFixed(4))));
    const panels = own.shape.panels.panels.map((p) => (JSON.stringify(p.outline) === first ? { ...p, outline: round } : p));
    const rims = panels.slice(0, 2).map((p) => sides(round as P[]).map((s) => `${p.name} ${s}`));
    const seams = Object.entries(own.seams ?? {});
    // The one seam of a pair goes round it, whatever its corners.
    const rim =
      seams.length === 1 && panels.length === 2
        ? [
            {
              op: 'replace' as const,
              path: `/bodies/${id}/kind/cloth/seams/${seams[0]![0]}/of`,
              value: rims.map((borders) => ({ borders })),
            },
          ]
        : [];
    return {
      label: `${of} cut to another outline`,
      patch: [{ op: 'replace', path: `/bodies/${id}/kind/cloth/shape/panels/panels`, value: panels }, ...rim],
    };
  });
}

/** The borders that the core makes of an outline: a new one at each turn of more than 30°. */
function sides(p: P[]): string[] {
  const n = p.length;
  const area = p.reduce((s, a, k) => s + a[0] * p[(k + 1) % n]![1] - a[1] * p[(k + 1) % n]![0], 0);
  const q = area < 0 ? p.toReversed() : p;
  const turns = q.filter((b, k) => {
    const [a, c] = [q[(k + n - 1) % n]!, q[(k + 1) % n]!];
    const [d, e] = [
      [b[0] - a[0], b[1] - a[1]],
      [c[0] - b[0], c[1] - b[1]],
    ] as [P, P];
    return d[0] * e[0] + d[1] * e[1] < 0.866 * Math.hypot(...d) * Math.hypot(...e);
  }).length;
  return turns < 2 ? ['rim'] : Array.from({ length: turns }, (_, k) => `side ${k + 1}`);
}

/** Where an outline crosses itself first. */
function crossing(p: P[]): P | null {
  const n = p.length;
  for (let i = 0; i < n; i++) {
    for (let j = i + 2; j < n; j++) {
      if (i === 0 && j === n - 1) continue;
      const [a, b, c, d] = [p[i]!, p[(i + 1) % n]!, p[j]!, p[(j + 1) % n]!];
      const [u, v] = [
        [b[0] - a[0], b[1] - a[1]],
        [d[0] - c[0], d[1] - c[1]],
      ] as [P, P];
      const det = u[0] * v[1] - u[1] * v[0];
      const [s, t] = [((c[0] - a[0]) * v[1] - (c[1] - a[1]) * v[0]) / det, ((c[0] - a[0]) * u[1] - (c[1] - a[1]) * u[0]) / det];
      if (s >= 0 && s <= 1 && t >= 0 && t <= 1) return [a[0] + s * u[0], a[1] + s * u[1]];
    }
  }
  return null;
}

const mark = ([x, y]: P) => `M${x - 6} ${y - 6}l12 12M${x + 6} ${y - 6}l-12 12`;

export function Pattern({ id, of, panels }: { id: string; of: string; panels: Panels }) {
  const said = panels.panels[0]!.outline as P[];
  const [own, setOwn] = useState<P[] | null>(null);
  const [drawing, setDrawing] = useState(false);
  const held = useRef<number | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const file = useRef<HTMLInputElement>(null);
  useEffect(() => setOwn(null), [JSON.stringify(said)]);
  const shown = own ?? said;
  const all = drawing ? said : shown;
  const [low, high] = [0, 1].map((s) => [0, 1].map((c) => Math.max(...all.map((p) => (s ? p[c]! : -p[c]!))) * (s ? 1 : -1))) as [P, P];
  const middle: P = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2];
  const scale = useRef(1);
  if (held.current === null && !drawing)
    scale.current = 0.72 * Math.min(W / Math.max(high[0] - low[0], 1e-3), H / Math.max(high[1] - low[1], 1e-3));
  const k = scale.current;
  const at = useRef(middle);
  if (held.current === null && !drawing) at.current = middle;
  const to = (p: P): P => [W / 2 + (p[0] - at.current[0]) * k, H / 2 - (p[1] - at.current[1]) * k];
  const from = (e: { clientX: number; clientY: number }): P => {
    const box = svg.current!.getBoundingClientRect();
    return [
      at.current[0] + ((e.clientX - box.left) * (W / box.width) - W / 2) / k,
      at.current[1] - ((e.clientY - box.top) * (H / box.height) - H / 2) / k,
    ];
  };
  // What is refused stays as it was drawn, to be mended.
  const fault = useHere((h) => Object.entries(h.faults).find(([p]) => p.startsWith(`/bodies/${id}/kind/cloth/shape/panels`))?.[1]);
  const done = (outline: P[]) => {
    setOwn(outline);
    void reshape(id, of, outline);
  };
  const cross = own && !drawing ? crossing(own) : null;
  const bringIn = async (f: File) => {
    const curves = await readCurves(f);
    if (!curves) return;
    const found = curves.find((c) => c.outline);
    if (!found)
      return say({
        title: `${f.name} has no outline`,
        detail: 'None of its curves is the edge of a flat piece: they cross themselves or hold no area.',
        tone: 'fault',
      });
    setDrawing(false);
    done(found.outline as P[]);
    if (curves.length > 1)
      say({
        title: `${curves.length} curves are in the file`,
        detail: `The pattern takes ${found.name}. Bring in the others by bodies of their own.`,
        tone: 'note',
      });
  };
  const end = () => {
    setDrawing(false);
    if (own && own.length >= 3) done(own);
    else setOwn(null);
  };
  const escape = (e: React.KeyboardEvent) => {
    if (e.key === 'Escape' && (drawing || held.current !== null)) {
      e.stopPropagation();
      held.current = null;
      setDrawing(false);
      setOwn(null);
    } else if (e.key === 'Enter' && drawing) end();
  };
  const points = shown.map(to);
  return (
    <div className="px-4 py-1" data-path={`/bodies/${id}/kind/cloth/shape/panels/panels`} onKeyDown={escape}>
      <svg
        ref={svg}
        viewBox={`0 0 ${W} ${H}`}
        tabIndex={0}
        className="w-full touch-none rounded border border-line bg-raised"
        role="img"
        aria-label={`Outline of ${of}, ${said.length} corners`}
        onPointerDown={(e) => {
          e.currentTarget.focus();
          if (drawing) setOwn([...(own ?? []), from(e)]);
        }}
        onPointerMove={(e) => {
          if (held.current === null) return;
          const q = from(e);
          setOwn(shown.map((p, n) => (n === held.current ? q : p)));
        }}
        onPointerUp={() => {
          if (held.current === null) return;
          held.current = null;
          if (own) done(own);
        }}
      >
        {!(drawing && !own) && (
          <polygon
            points={points.map((p) => p.join(',')).join(' ')}
            fill="var(--woad)"
            fillOpacity="0.12"
            stroke="var(--woad)"
            strokeWidth="1.5"
          />
        )}
        {!drawing &&
          points.map((p, n) => {
            const q = points[(n + 1) % points.length]!;
            return (
              <line
                key={`side ${n}`}
                x1={p[0]}
                y1={p[1]}
                x2={q[0]}
                y2={q[1]}
                stroke="transparent"
                strokeWidth="9"
                className="cursor-copy"
                onPointerDown={(e) => {
                  e.stopPropagation();
                  svg.current!.setPointerCapture(e.pointerId);
                  held.current = n + 1;
                  setOwn(shown.toSpliced(n + 1, 0, from(e)));
                }}
              />
            );
          })}
        {!(drawing && !own) &&
          points.map((p, n) => (
            <circle
              key={`corner ${n}`}
              cx={p[0]}
              cy={p[1]}
              r="4.5"
              fill="var(--raised)"
              stroke="var(--ink)"
              strokeWidth="1.5"
              className="cursor-move"
              onPointerDown={(e) => {
                if (drawing) return;
                e.stopPropagation();
                svg.current!.focus();
                svg.current!.setPointerCapture(e.pointerId);
                held.current = n;
              }}
              onDoubleClick={() => shown.length > 3 && done(shown.filter((_, m) => m !== n))}
            />
          ))}
        {cross && <path d={mark(to(cross))} fill="none" stroke="var(--woad)" strokeWidth="2" />}
      </svg>
      {cross && (
        <Note tone="care">The outline crosses itself where it is marked, and is not taken yet: drag a corner until it no longer does.</Note>
      )}
      {own && !cross && fault && <Note tone="care">It is not taken yet: {fault}.</Note>}
      {drawing ? (
        <Note>Press corner after corner; Enter ends, Escape leaves it as it was.</Note>
      ) : (
        <Note>Drag a corner; press on a side for a new one, twice on a corner to take it away.</Note>
      )}
      <Actions>
        {own && !drawing && (cross || fault) && <Button onClick={() => (setOwn(null), setHere({ faults: {} }))}>As it was</Button>}
        <Button
          look={drawing ? 'main' : 'plain'}
          onClick={() => {
            if (drawing) return end();
            setOwn(null);
            setDrawing(true);
            svg.current?.focus();
          }}
        >
          {drawing ? 'Close the outline' : 'Draw it anew'}
        </Button>
        <Button hint="A closed curve of an OBJ, glTF or USD file, laid flat" onClick={() => file.current?.click()}>
          Bring one in…
        </Button>
        <FileInput ref={file} label={`A file with an outline for ${of}`} read="curves" onFile={(f) => void bringIn(f)} />
      </Actions>
    </div>
  );
}
