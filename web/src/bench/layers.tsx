/** More of the same shape in one body, each placed from the one before. */
import type { Body } from '../api/http';
import { edit } from '../state/project';
import { useScene, useShape } from '../state/queries';
import { clothOf } from '../state/value';
import { Button } from '../ui/button';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Fold, Note } from '../ui/section';
import { count, showNumber } from '../ui/sum';
import { removeAt } from './things';

type Layers = { count: number; offset: number[]; turn?: number[]; scale?: number };

/** Layers to begin with, and how far apart at least, metres. */
const FIRST = 4;
const APART = 0.02;

const AXES = ['x', 'y', 'z'];

export function LayerRows({ id, body }: { id: string; body: Body }) {
  const cloth = clothOf(body);
  const layers = cloth?.layers as Layers | null | undefined;
  const of = body.name;
  const base = `/bodies/${id}/kind/cloth/layers`;
  const itself = body.touch?.itself ?? false;
  // Layers that do not meet each other lie in each other at once.
  const touch = (on: boolean) => ({ op: 'add' as const, path: `/bodies/${id}/touch`, value: { ...body.touch, itself: on } });
  const stack = () => {
    const apart = Number(Math.max(APART, 4 * Number(cloth?.matter?.thickness ?? 0)).toPrecision(2));
    return edit(`${of} in ${FIRST} layers`, [{ op: 'add', path: base, value: { count: FIRST, offset: [0, apart, 0] } }, touch(true)]);
  };
  if (!layers) {
    return (
      <Fold name="Layers" note="one" closed>
        <Note>More of the same shape in this one body, each moved, turned and scaled from the one before.</Note>
        <Actions>
          <Button onClick={() => void stack()}>Stack layers</Button>
        </Actions>
      </Fold>
    );
  }
  return (
    <Fold name="Layers" note={count(layers.count, 'layer')}>
      <LayerPicture id={id} layers={layers} />
      <NumberField path={`${base}/count`} of={of} whole />
      <NumberRow label="Step, m" of={`${of} layers`} parts={AXES.map((name, k) => ({ path: `${base}/offset/${k}`, name }))} />
      <NumberRow label="Turn, °" of={`${of} layers`} parts={AXES.map((name, k) => ({ path: `${base}/turn/${k}`, name, otherwise: 0 }))} />
      <NumberField path={`${base}/scale`} label="Scale" of={`${of} layers`} otherwise={1} />
      {layers.count > 1 && !itself && <Note tone="care">{of} does not touch itself: its layers go through each other.</Note>}
      <Actions>
        {layers.count > 1 && !itself && (
          <Button onClick={() => void edit(`${of} touches itself`, [touch(true)])}>Let it touch itself</Button>
        )}
        <Button look="quiet" onClick={() => void removeAt(base, `All but one layer of ${of}`, `${of} in one layer`, () => {})}>
          One layer again
        </Button>
      </Actions>
    </Fold>
  );
}

type V = [number, number, number];
const [WIDE, HIGH] = [254, 96];
/** Layers that are drawn at most. */
const DRAWN = 40;

function turned([x, y, z]: V, [a, b, c]: V): V {
  [y, z] = [y * Math.cos(a) - z * Math.sin(a), y * Math.sin(a) + z * Math.cos(a)];
  [x, z] = [x * Math.cos(b) + z * Math.sin(b), -x * Math.sin(b) + z * Math.cos(b)];
  return [x * Math.cos(c) - y * Math.sin(c), x * Math.sin(c) + y * Math.cos(c), z];
}

/** Every layer as its bounds lie, seen from a little above the side. */
function LayerPicture({ id, layers }: { id: string; layers: Layers }) {
  const { shape } = useShape(id);
  const drawn = useScene((s) => clothOf(s.bodies[id]!)?.layers?.count) ?? layers.count;
  if (!shape) return null;
  const one = Math.max(1, Math.floor(shape.placed.length / 3 / drawn));
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (let k = 0; k < 3 * one; k++) {
    low[k % 3] = Math.min(low[k % 3]!, shape.placed[k]!);
    high[k % 3] = Math.max(high[k % 3]!, shape.placed[k]!);
  }
  const half = low.map((l, k) => (high[k]! - l) / 2) as V;
  let corners: V[] = [
    [-half[0], 0, -half[2]],
    [half[0], 0, -half[2]],
    [half[0], 0, half[2]],
    [-half[0], 0, half[2]],
  ];
  const [turn, scale] = [(layers.turn ?? [0, 0, 0]) as V, layers.scale ?? 1];
  const all: V[][] = [corners];
  for (let k = 1; k < Math.min(DRAWN, layers.count); k++) {
    corners = corners.map((p) => turned(p, turn).map((c, i) => scale * c + layers.offset[i]!) as V);
    all.push(corners);
  }
  const flat = all.map((c) => c.map(([x, y, z]) => [x + 0.35 * z, -y + 0.25 * z]));
  const xs = flat.flat().map((p) => p[0]!);
  const ys = flat.flat().map((p) => p[1]!);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const k = Math.min((WIDE - 16) / Math.max(x1 - x0, 1e-6), (HIGH - 16) / Math.max(y1 - y0, 1e-6));
  const to = ([x, y]: number[]) =>
    `${(WIDE / 2 + (x! - (x0 + x1) / 2) * k).toFixed(1)},${(HIGH / 2 + (y! - (y0 + y1) / 2) * k).toFixed(1)}`;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      className="mx-4 mt-1 ml-9 block rounded-md border border-line bg-ground"
      style={{ width: 'calc(100% - 52px)' }}
      role="img"
      aria-label={`${layers.count} layers, ${showNumber(Math.hypot(...(layers.offset as V)))} m from one to the next`}
    >
      {flat.map((c, n) => (
        <polygon
          key={n}
          points={c.map(to).join(' ')}
          fill="var(--raised)"
          fillOpacity="0.55"
          stroke={n === 0 ? 'var(--ink)' : 'var(--woad)'}
          strokeWidth={n === 0 ? 1.5 : 1}
          strokeLinejoin="round"
        />
      ))}
    </svg>
  );
}
