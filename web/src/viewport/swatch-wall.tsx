/** A wall of swatches over the view: all on the clock of the loom, seen from where one looks. A press takes one. */
import { useEffect, useRef, useState } from 'react';
import * as T from 'three';
import { now } from '../state/queries';
import { DYED } from '../state/dyes';
import { useView } from '../state/view';
import { clock } from '../stream/clock';
import { choose, close, swatchNews, useSwatches } from '../stream/swatches';
import { Button } from '../ui/button';
import { layerOf, type BodyLayer } from './body-layer';
import { stage } from './stage';

/** How much larger the one under the pointer is. */
const LARGER = 1.7;

/** Columns and rows of so many on a wall of some size, the cells as large as may be and wider than high. */
function grid(n: number, wide: number, high: number): [number, number] {
  let best: [number, number] = [1, n];
  let most = 0;
  for (let columns = 1; columns <= n; columns++) {
    const rows = Math.ceil(n / columns);
    const size = Math.min(wide / columns / 1.35, high / rows);
    if (size > most) [best, most] = [[columns, rows], size];
  }
  return best;
}

export function SwatchWall() {
  const wall = useSwatches((s) => s.wall);
  return wall ? <Wall key={wall.swatches.map((s) => s.name).join()} /> : null;
}

function Wall() {
  const wall = useSwatches((s) => s.wall)!;
  const dusk = useView((v) => v.dusk);
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState<[number, number]>([800, 500]);
  const [over, setOver] = useState<number | null>(null);
  const [, look] = useState(0);
  const n = wall.swatches.length;
  const [columns, rows] = wall.across > 0 ? [wall.across, Math.ceil(n / wall.across)] : grid(n, size[0], size[1]);
  const near = useRef<number | null>(null);
  const again = useRef(() => {});
  const enter = (k: number | null) => {
    setOver(k);
    near.current = k;
    again.current();
  };
  const done = wall.swatches.filter((s) => s.state === 'done' || s.state === 'failed').length;
  useEffect(() => {
    const watch = new ResizeObserver(() => host.current && setSize([host.current.clientWidth, host.current.clientHeight]));
    if (host.current) watch.observe(host.current);
    const escape = (e: KeyboardEvent) => {
      if (e.key !== 'Escape') return;
      e.stopPropagation();
      close();
    };
    addEventListener('keydown', escape, true);
    return () => {
      watch.disconnect();
      removeEventListener('keydown', escape, true);
    };
  }, []);
  useEffect(() => {
    const shape = now.shape(wall.body);
    const body = now.scene()?.bodies[wall.body];
    if (!canvas.current || !shape || !body) return;
    const renderer = new T.WebGLRenderer({ canvas: canvas.current, antialias: false, alpha: true });
    renderer.setPixelRatio(Math.min(1, devicePixelRatio));
    renderer.setSize(size[0], size[1], false);
    renderer.setScissorTest(true);
    const scene = new T.Scene();
    const sun = new T.DirectionalLight(dusk ? '#ffd2a0' : '#fff1dc', dusk ? 1.5 : 2.1);
    sun.position.set(-0.5, 0.95, 0.36);
    scene.add(sun, new T.HemisphereLight(dusk ? '#8ea6bd' : '#eaf1f4', '#8d7f64', 1.1));
    const layers: { drawn: BodyLayer; shown: number }[] = wall.swatches.map(() => ({
      drawn: layerOf(shape, true, DYED[body.dye ?? 'linen'], () => paint()),
      shown: -1,
    }));
    const camera = stage.camera.clone();
    const ball = new T.Box3().setFromArray(shape.placed).getBoundingSphere(new T.Sphere());
    let due = false;
    const draw = () => {
      due = false;
      const frame = clock.frame - clock.first;
      layers.forEach(({ drawn }, k) => {
        const l = layers[k]!;
        const { frames } = wall.swatches[k]!;
        const at = Math.min(frame, frames.length - 1);
        if (at >= 0 && at !== l.shown && frames[at]!.length === drawn.positions.length) {
          drawn.positions.set(frames[at]!);
          drawn.changed('true');
          l.shown = at;
        }
      });
      const [w, h] = [size[0] / columns, size[1] / rows];
      camera.aspect = w / h;
      // As one looks in the view, and as near as all of it is within a cell.
      const half = T.MathUtils.degToRad(camera.fov / 2);
      const far = (0.8 * ball.radius) / Math.sin(Math.min(half, Math.atan(Math.tan(half) * camera.aspect)));
      camera.quaternion.copy(stage.camera.quaternion);
      camera.position.copy(ball.center).addScaledVector(new T.Vector3(0, 0, 1).applyQuaternion(camera.quaternion), far);
      camera.updateProjectionMatrix();
      renderer.setClearColor(dusk ? '#2b3231' : '#cdcab9', 1);
      layers.forEach(({ drawn }, k) => {
        const [x, y] = [(k % columns) * w, size[1] - (Math.floor(k / columns) + 1) * h];
        render(drawn, x, y, w, h);
      });
      // The one under the pointer is seen larger, over its neighbours.
      const k = near.current;
      const large = k === null || n < 5 ? undefined : layers[k];
      if (k === null || !large) return;
      const [u, v] = [w * LARGER, h * LARGER];
      const x = Math.min(size[0] - u, Math.max(0, (k % columns) * w - (u - w) / 2));
      const y = Math.min(size[1] - v, Math.max(0, size[1] - (Math.floor(k / columns) + 1) * h - (v - h) / 2));
      render(large.drawn, x, y, u, v);
    };
    const render = (drawn: BodyLayer, x: number, y: number, w: number, h: number) => {
      renderer.setViewport(x, y, w, h);
      renderer.setScissor(x + 1, y + 1, w - 2, h - 2);
      scene.add(drawn.group);
      renderer.render(scene, camera);
      scene.remove(drawn.group);
    };
    const paint = () => {
      if (due) return;
      due = true;
      requestAnimationFrame(draw);
    };
    const news = () => {
      paint();
      look((k) => k + 1);
    };
    again.current = paint;
    paint();
    const off = clock.subscribe(paint);
    swatchNews.add(news);
    return () => {
      off();
      swatchNews.delete(news);
      for (const l of layers) l.drawn.dispose();
      renderer.dispose();
    };
  }, [wall, size, columns, rows, dusk]);

  return (
    <div ref={host} data-testid="swatches" className="absolute inset-0 z-10 bg-ground">
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <div
        className="absolute inset-0 grid"
        style={{ gridTemplateColumns: `repeat(${columns}, 1fr)`, gridTemplateRows: `repeat(${rows}, 1fr)` }}
      >
        {wall.swatches.map((s, k) => (
          <button
            key={s.name}
            type="button"
            title={`Makes ${wall.of} ${s.name}: one undo`}
            className="flex flex-col items-start justify-end p-2 text-left outline-none hover:shadow-[inset_0_0_0_2px_var(--woad)] focus-visible:shadow-[inset_0_0_0_2px_var(--woad)]"
            onPointerEnter={() => enter(k)}
            onPointerLeave={() => enter(null)}
            onClick={() => void choose(k)}
          >
            <span className={`rounded bg-raised/95 px-1.5 ${over === k ? 'font-semibold' : ''}`}>
              <span className="num">{s.name}</span>
              {s.state !== 'done' && (
                <span className="pl-2 text-[12px] text-faded">
                  {s.state === 'waits' ? 'waits' : s.state === 'failed' ? 'can’t move so' : `${s.frames.length} frames`}
                </span>
              )}
            </span>
          </button>
        ))}
      </div>
      <div className="pointer-events-none absolute inset-x-0 top-2 flex justify-center">
        <p role="status" className="pointer-events-auto flex items-center gap-2 rounded-lg border border-line bg-raised/95 px-2.5 py-1">
          <span>
            {wall.of}: {done < n ? `${done} of ${n} drafts are here` : 'press the one that is right'}
          </span>
          <Button onClick={close}>Close</Button>
        </p>
      </div>
    </div>
  );
}
