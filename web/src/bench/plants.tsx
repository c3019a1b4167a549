/** Plants: one of them drawn from its numbers, the shelf of species, where they grow, and what moves them. */
import type { Body, Silhouette, Species } from '../api/http';
import { at as read } from '../state/pointer';
import { edit } from '../state/project';
import { useLimbsOf, useScene, useShape, useShelf, useSilhouette } from '../state/queries';
import { useTried } from '../state/tried';
import { Button } from '../ui/button';
import { ChoiceField, SwitchField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Fold, Note } from '../ui/section';
import { count } from '../ui/sum';
import { chooseMesh } from './import-mesh';
import { Outlet } from './outlet';
import { askPlantsFor } from './things';

export type Plants = Extract<Body['kind'], { plants: unknown }>['plants'];

/** As they are when they are added. */
const BRANCHES = {
  count: 6,
  from: 0.3,
  to: 1,
  angle: 0.8,
  round: 2.4,
  length: 0.4,
  shorter: 0.4,
  thickness: 0.5,
  upward: 0.3,
  segments: 3,
};
const LEAVES = { count: 4, from: 0.3, to: 1, angle: 0.9, round: 2.4, length: 0.08, width: 0.03, stalk: 0.01, swing: 4 };
const LEAF = { weight: 0.2, swing: 4, drag: 1.28 };
const HEADS = { diameter: 0.02, weight: 0.001 };
const MOST_LEVELS = 3;
const ALIKE = '·';
const NONE: Record<string, { name: string }> = {};

export function PlantRows({ id, of, own }: { id: string; of: string; own: Plants }) {
  const path = `/bodies/${id}/kind/plants`;
  const maps = useScene((s) => s.bodies[id]?.maps) ?? NONE;
  const patch = own.from === undefined || own.from === 'space';
  const row = (key: string, otherwise?: number) => (
    <NumberField path={`${path}/${key}`} of={of} {...(otherwise === undefined ? {} : { otherwise })} />
  );
  const whole = (key: string) => <NumberField path={`${path}/${key}`} of={of} whole />;
  const byMap = (key: 'spread' | 'large', label: string, alike: string) =>
    (own[key] != null || Object.keys(maps).length > 0) && (
      <ChoiceField
        label={label}
        of={of}
        value={own[key] ?? ALIKE}
        options={[{ value: ALIKE, label: alike }, ...Object.entries(maps).map(([value, m]) => ({ value, label: `by the map ${m.name}` }))]}
        onChoose={(v) =>
          void edit(v === ALIKE ? `${of} ${alike}` : `${of} ${label.toLowerCase()} by ${maps[v]?.name}`, [
            v === ALIKE ? { op: 'remove', path: `${path}/${key}` } : { op: 'add', path: `${path}/${key}`, value: v },
          ])
        }
      />
    );
  return (
    <>
      {own.mesh ? (
        <AsMesh id={id} of={of} path={path} own={own.mesh} />
      ) : (
        own.species && <BySpecies {...{ id, of, path, own }} species={own.species} />
      )}
      <Fold name="By weight" note={own.stands === false ? 'hang by it' : 'stand as made'} closed>
        <SwitchField label="By weight" path={`${path}/stands`} of={of} says={['stand as made', 'hang by it']} />
      </Fold>
      <Fold name="Where they grow">
        <Outlet label="Grow on" path={`${path}/from`} of={of} from={own.from} space="a patch of its own" said="grow on" />
        {patch && (
          <NumberRow label="Patch, m" of={of} parts={['x', 'z'].map((name, k) => ({ path: `${path}/size/${k}`, name, otherwise: 1 }))} />
        )}
        {byMap('spread', 'Spread', 'all over it alike')}
        {whole('count')}
        {row('variation')}
        {byMap('large', 'Size', 'all of a size')}
        {row('upright')}
        {whole('seed')}
      </Fold>
      <Fold name="Air and contact" closed>
        {row('damping', 0)}
        {row('drag')}
        {row('friction')}
        {row('around')}
      </Fold>
      <Trunk id={id} of={of} own={own} />
    </>
  );
}

/** What plants are grown by. */
function BySpecies({ id, of, path, own, species }: { id: string; of: string; path: string; own: Plants; species: Species }) {
  const levels = species.branches?.length ?? 0;
  const row = (key: string, otherwise?: number) => (
    <NumberField path={`${path}/${key}`} of={of} {...(otherwise === undefined ? {} : { otherwise })} />
  );
  const whole = (key: string) => <NumberField path={`${path}/${key}`} of={of} whole />;
  return (
    <>
      <Drawn path={path} own={own} species={species} />
      <Fold name="Species" note={<Began species={species} />} closed>
        <Shelf
          onTake={(name, species) =>
            void edit(`${of} of ${name.toLowerCase()}`, [{ op: 'replace', path: `${path}/species`, value: species }])
          }
          onMesh={() => askForPlant(id)}
        />
      </Fold>
      <Fold name="Stem">
        {row('species/stem/height')}
        {row('species/stem/diameter')}
        {row('species/stem/taper')}
        {row('species/stem/bow', 0)}
        {whole('species/stem/segments')}
      </Fold>
      {(species.branches ?? []).map((b, k) => (
        <Level key={k} path={`${path}/species`} of={of} own={species} level={k} note={`${b.count}`} />
      ))}
      {levels < MOST_LEVELS && (
        <Actions>
          <Button
            onClick={() =>
              void edit(`${of} with branches`, [
                levels === 0
                  ? { op: 'add', path: `${path}/species/branches`, value: [BRANCHES] }
                  : { op: 'add', path: `${path}/species/branches/-`, value: BRANCHES },
              ])
            }
          >
            {levels === 0 ? 'Grow branches' : 'Grow branches of those'}
          </Button>
        </Actions>
      )}
      <Part
        path={`${path}/species/leaves`}
        of={of}
        name="Leaves"
        has={species.leaves != null}
        note={species.leaves ? `${species.leaves.count} each` : 'none'}
        begins={{ ...LEAVES, on: levels }}
        levels={levels}
        rows={['count', 'from', 'to', 'angle', 'round', 'length', 'width', 'stalk', 'weight', 'swing', 'drag']}
      />
      <Part
        path={`${path}/species/heads`}
        of={of}
        name="Heads"
        has={species.heads != null}
        note={species.heads ? '' : 'none'}
        begins={{ ...HEADS, on: levels }}
        levels={levels}
        rows={['diameter', 'weight']}
      />
      <Fold name="Wood" closed>
        {row('species/density')}
        {row('species/modulus')}
        {row('species/inner')}
        {row('species/uneven')}
      </Fold>
    </>
  );
}

/** Asks for a mesh: for some plants, or for a new one. */
export function askForPlant(id: string | null) {
  askPlantsFor(id);
  chooseMesh('plant');
}

/** A plant as a mesh was modelled, and what was found in it. */
function AsMesh({ id, of, path, own }: { id: string; of: string; path: string; own: NonNullable<Plants['mesh']> }) {
  const found = useLimbsOf(id)?.head;
  const { fault } = useShape(id);
  const base = `${path}/mesh`;
  const row = (key: string, otherwise: number) => <NumberField path={`${base}/${key}`} of={of} otherwise={otherwise} />;
  return (
    <>
      {found ? <Card grown={found.grown} /> : <div className="mx-4 ml-9 h-[196px]" aria-hidden />}
      {found && !fault && (
        <Note>
          {found.bones ? 'By its own bones; ' : ''}
          {found.parts === 1 ? 'one part of wood' : `${found.parts} parts of wood`}
          {found.leaves > 0 ? `, ${count(found.leaves, 'loose leaf', 'loose leaves')}` : ', no loose leaves'}.
          {found.cut > 0 ? ` Branches come together again in ${count(found.cut, 'place')}, and were cut there.` : ''}
          {found.away > 0
            ? ` ${count(found.away, 'part')} stand${found.away === 1 ? 's' : ''} away from all others, and hang${found.away === 1 ? 's' : ''} on the nearest.`
            : ''}
        </Note>
      )}
      <Fold name="Mesh">
        {row('size', 1)}
        {!found?.bones && <NumberField path={`${base}/segments`} of={of} otherwise={24} whole />}
        <Actions>
          <Button onClick={() => askForPlant(id)}>Another mesh</Button>
        </Actions>
      </Fold>
      <Fold name="Species" note="as a mesh" closed>
        <Shelf
          onTake={(name, species) =>
            void edit(`${of} of ${name.toLowerCase()}`, [
              { op: 'remove', path: base },
              { op: 'add', path: `${path}/species`, value: species },
            ])
          }
        />
      </Fold>
      <Fold name="Wood" closed>
        {row('density', 700)}
        {row('modulus', 2e9)}
        {row('inner', 0.01)}
      </Fold>
      {(found?.leaves ?? 0) > 0 && (
        <Fold name="Leaves" note={own.leaf ? '' : 'as usual'} closed>
          {own.leaf ? (
            ['weight', 'swing', 'drag'].map((key) => <NumberField key={key} path={`${base}/leaf/${key}`} of={`${of} leaves`} />)
          ) : (
            <Actions>
              <Button onClick={() => void edit(`${of} leaves of their own`, [{ op: 'add', path: `${base}/leaf`, value: LEAF }])}>
                Say what leaves are like
              </Button>
            </Actions>
          )}
        </Fold>
      )}
    </>
  );
}

/** The species that it began as. */
function Began({ species }: { species: Species }) {
  const key = JSON.stringify(species);
  const found = useShelf().find((s) => JSON.stringify(s.species) === key);
  return <>{found?.name ?? 'own numbers'}</>;
}

/** Species to begin with, each with its picture. */
export function Shelf({ onTake, onMesh }: { onTake: (name: string, species: Species) => void; onMesh?: () => void }) {
  const shelf = useShelf();
  return (
    <>
      <div className="grid grid-cols-5 gap-1.5 px-4 pt-1 pb-1.5" role="group" aria-label="Species">
        {shelf.map((s) => (
          <button
            key={s.id}
            type="button"
            title={`${s.name}. ${s.source}.`}
            onClick={() => onTake(s.name, s.species)}
            className="flex flex-col items-center rounded-md border border-line-strong bg-ground px-0.5 pt-1 pb-0.5 hover:bg-woad-wash-soft"
          >
            <Outlined grown={s.grown} high={54} wide={44} />
            <span className="truncate text-[11px]">{s.name}</span>
          </button>
        ))}
      </div>
      {onMesh && (
        <Actions>
          <Button hint="Its stem, branches and leaves are found in it, or are its bones" onClick={onMesh}>
            As a mesh…
          </Button>
        </Actions>
      )}
    </>
  );
}

/** A plant from the side, as large as fits. */
function Outlined({ grown: g, high, wide }: { grown: Silhouette; high: number; wide: number }) {
  const xs = [...g.wood, ...g.leaves].flatMap((w) => [w[0]!, w[2]!]);
  const [left, right] = [Math.min(...xs, 0), Math.max(...xs, 0)];
  const top = Math.max(...[...g.wood, ...g.leaves].flatMap((w) => [w[1]!, w[3]!]), 1e-3);
  const per = Math.min((high - 6) / top, (wide - 6) / Math.max(right - left, 1e-3));
  const x = (v: number) => (wide / 2 + (v - (left + right) / 2) * per).toFixed(1);
  const y = (v: number) => (high - 3 - v * per).toFixed(1);
  const line = (all: number[][]) => all.map((w) => `M${x(w[0]!)} ${y(w[1]!)}L${x(w[2]!)} ${y(w[3]!)}`).join('');
  const leaf = ([a, b, c, d, w]: number[]) => {
    const [dx, dy] = [c! - a!, d! - b!];
    const long = Math.hypot(dx, dy) || 1;
    const [mx, my] = [a! + 0.45 * dx, b! + 0.45 * dy];
    const [sx, sy] = [(-dy / long) * 0.5 * w!, (dx / long) * 0.5 * w!];
    return `M${x(a!)} ${y(b!)}L${x(mx + sx)} ${y(my + sy)}L${x(c!)} ${y(d!)}L${x(mx - sx)} ${y(my - sy)}Z`;
  };
  // Few widths, for a thousand strokes of their own are slow.
  const widths = [0.8, 1.4, 2.4, 4];
  const of = (w: number) => widths.findIndex((k, n) => w * per <= k || n === widths.length - 1);
  return (
    <svg width={wide} height={high} viewBox={`0 0 ${wide} ${high}`} aria-hidden>
      <path d={g.leaves.map(leaf).join('')} fill="var(--weld)" fillOpacity="0.75" />
      {widths.map((width, k) => (
        <path
          key={k}
          d={line(g.wood.filter((w) => of(w[4]!) === k))}
          stroke="var(--ink)"
          strokeWidth={width}
          strokeLinecap="round"
          fill="none"
        />
      ))}
      {g.heads.map((h, k) => (
        <circle key={k} cx={x(h[0]!)} cy={y(h[1]!)} r={Math.max(1, 0.5 * h[2]! * per)} fill="var(--plum)" fillOpacity="0.8" />
      ))}
    </svg>
  );
}

/** One of the mean size, as its numbers are: also while one of them is dragged. */
function Drawn({ path, own, species: said }: { path: string; own: Plants; species: Species }) {
  const tried = useTried();
  const inside = tried.path.startsWith(`${path}/species/`);
  let species = said;
  if (inside) {
    species = structuredClone(species);
    const key = tried.path.slice(`${path}/species`.length);
    const up = key.slice(0, key.lastIndexOf('/'));
    const to = (up === '' ? species : read(species, up)) as Record<string, number> | undefined;
    if (to) to[key.slice(key.lastIndexOf('/') + 1)] = tried.value;
  }
  const grown = useSilhouette(species, own.seed ?? 0);
  if (!grown) return <div className="mx-4 ml-9 h-[196px]" aria-hidden />;
  return <Card grown={grown} />;
}

/** One from the side, with what it comes to. */
function Card({ grown }: { grown: Silhouette }) {
  return (
    <figure className="mx-4 mt-1 ml-9 rounded-md border border-line bg-ground" data-testid="plant">
      <div role="img" aria-label={`One is ${metres(grown.height)} high`} className="flex justify-center">
        <Outlined grown={grown} high={170} wide={240} />
      </div>
      <figcaption className="flex flex-wrap justify-between gap-x-3 border-t border-line px-2 py-1 text-[12px] text-faded">
        <span className="num" title="How high one of the mean size is">
          {metres(grown.height)}
        </span>
        <span className="num" title="What it weighs">
          {grown.mass < 1 ? `${Number((grown.mass * 1000).toPrecision(3))} g` : `${Number(grown.mass.toPrecision(3))} kg`}
        </span>
        <span className="num" title="How often it sways to and fro in a second, but for what its weight takes off that">
          {Number(grown.sway.toPrecision(2))} Hz
        </span>
        <span className="num" title="Points that are computed of each">
          {count(grown.points, 'point')}
        </span>
      </figcaption>
    </figure>
  );
}

const metres = (m: number) => (m < 1 ? `${Math.round(m * 100)} cm` : `${m.toFixed(2)} m`);

/** Branches of a level. */
function Level({ path, of, own, level, note }: { path: string; of: string; own: Species; level: number; note: string }) {
  const base = `${path}/branches/${level}`;
  const name = level === 0 ? 'Branches' : `Branches of level ${level + 1}`;
  const row = (key: string, otherwise?: number) => (
    <NumberField key={key} path={`${base}/${key}`} of={of} {...(otherwise === undefined ? {} : { otherwise })} />
  );
  const last = level + 1 === (own.branches?.length ?? 0);
  /** What stood on the level that goes stands on the one before it. */
  const down = (['leaves', 'heads'] as const)
    .filter((k) => (own[k]?.on ?? 0) > level)
    .map((k) => ({ op: 'replace' as const, path: `${path}/${k}/on`, value: level }));
  return (
    <Fold name={name} note={note} closed={level > 0}>
      <NumberField path={`${base}/count`} of={of} whole />
      <NumberRow
        label="Along it"
        of={of}
        parts={[
          { path: `${base}/from`, name: 'from' },
          { path: `${base}/to`, name: 'to' },
        ]}
      />
      {row('angle')}
      {row('round')}
      {row('length')}
      {row('shorter', 0)}
      {row('thickness')}
      {row('upward', 0)}
      <NumberField path={`${base}/segments`} of={of} whole />
      {last && (
        <Actions>
          <Button
            onClick={() =>
              void edit(`${of} without these branches`, [
                ...down,
                level === 0 ? { op: 'remove', path: `${path}/branches` } : { op: 'remove', path: base },
              ])
            }
          >
            Without these
          </Button>
        </Actions>
      )}
    </Fold>
  );
}

/** Leaves or heads: where they stand and what they are like. */
function Part(props: {
  path: string;
  of: string;
  name: 'Leaves' | 'Heads';
  has: boolean;
  note: string;
  begins: object;
  levels: number;
  rows: string[];
}) {
  const { path, of, name, has, note, begins, levels, rows } = props;
  const word = name.toLowerCase();
  const on = useScene((s) => (read(s, path) as { on?: number } | null | undefined)?.on) ?? 0;
  return (
    <Fold name={name} note={note} closed>
      {has ? (
        <>
          {levels > 0 && (
            <ChoiceField
              label="On"
              of={`${of} ${word}`}
              value={String(on)}
              options={Array.from({ length: levels + 1 }, (_, k) => ({
                value: String(k),
                label: k === 0 ? 'the stem' : k === 1 ? 'its branches' : `branches of level ${k}`,
              }))}
              onChoose={(v) => void edit(`${of} ${word} elsewhere`, [{ op: 'replace', path: `${path}/on`, value: Number(v) }])}
            />
          )}
          {rows.map((key) => (
            <NumberField key={key} path={`${path}/${key}`} of={`${of} ${word}`} whole={key === 'count'} />
          ))}
          <Actions>
            <Button onClick={() => void edit(`${of} without ${word}`, [{ op: 'remove', path }])}>Without {word}</Button>
          </Actions>
        </>
      ) : (
        <Actions>
          <Button onClick={() => void edit(`${of} with ${word}`, [{ op: 'add', path, value: begins }])}>Grow {word}</Button>
        </Actions>
      )}
    </Fold>
  );
}

/** A map by which trunks keep still: of one plant the inside of a capsule about its stem, of many from the root on, hundreds of times as stiff. */
function Trunk({ id, of, own }: { id: string; of: string; own: Plants }) {
  const scaled = useScene((s) => s.bodies[id]?.scaled?.bend);
  const maps = useScene((s) => s.bodies[id]?.maps) ?? NONE;
  const root = useShape(id).shape?.placed;
  const found = useLimbsOf(id)?.head.grown;
  if (scaled) return <Note>Bends by the map {maps[scaled.map]?.name}, which is in Hold.</Note>;
  const height = own.species?.stem.height ?? found?.height ?? 1;
  const diameter = own.species?.stem.diameter ?? found?.wood[0]?.[4] ?? 0.02;
  const keep = () => {
    let key = 'free';
    for (let n = 2; key in maps; n += 1) key = `free-${n}`;
    const short = (n: number) => Number(n.toPrecision(3));
    const [x = 0, y = 0, z = 0] = root ?? [];
    const zone = {
      form: { capsule: { radius: short(6 * diameter), length: short(0.45 * height) } },
      place: { position: [short(x), short(y + 0.22 * height), short(z)], turn: [0, 0, 0] },
      edge: short(3 * diameter),
    };
    const layer = own.count === 1 ? { weights: { zone }, invert: true } : { weights: { ramp: { along: 'strand', from: 0.15, to: 0.6 } } };
    const map = { name: 'Free of the trunk', layers: [layer] };
    return edit(`${of} trunk kept`, [
      Object.keys(maps).length === 0
        ? { op: 'add', path: `/bodies/${id}/maps`, value: { [key]: map } }
        : { op: 'add', path: `/bodies/${id}/maps/${key}`, value: map },
      { op: 'add', path: `/bodies/${id}/scaled`, value: { bend: { map: key, least: 400, most: 1 } } },
    ]);
  };
  return (
    <Actions>
      <Button
        hint={
          own.count === 1
            ? 'Hundreds of times as stiff within a capsule about the foot of the stem; the capsule is a zone of a map in Hold'
            : 'Hundreds of times as stiff at the roots, as they are toward the tips, by a map in Hold'
        }
        onClick={() => void keep()}
      >
        Keep the trunk still
      </Button>
    </Actions>
  );
}
