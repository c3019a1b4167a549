/** Maps of the chosen body: what each comes to, its layers, and the properties that it drives. */
import type { Body, Dye, Map as Weights } from '../api/http';
import { download } from '../api/download';
import type { MapNow } from '../api/maps';
import { choosePoints } from '../state/choice';
import { DYED_DEEP, DYES } from '../state/dyes';
import { addMap, beginPainting, chosenArea, doWhole, pathOf, removeMap, useMap, useShownMap, zoneOn } from '../state/maps';
import { edit, setValue, tell } from '../state/project';
import { openId, useScene, useSchema } from '../state/queries';
import { at, facts } from '../state/pointer';
import { clothOf, plain } from '../state/value';
import { setView, useView } from '../state/view';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';
import { Choice, ChoiceField, SwitchField } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Line, Note, Row, Section, Seen } from '../ui/section';
import { count, shownIn, showNumber } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { Layers } from './map-layers';
import { Menu } from './thing-tools';

const NONE: Record<string, Weights> = {};

/** What can be scaled, and where its own number stands in a cloth's matter. */
const SCALED: { key: string; name: string; numbers: string[] }[] = [
  { key: 'areal_weight', name: 'weight', numbers: ['areal_weight'] },
  { key: 'stretch', name: 'stretch', numbers: ['stretch_warp', 'stretch_weft'] },
  { key: 'shear', name: 'shear', numbers: ['shear'] },
  { key: 'bend', name: 'bend', numbers: ['bend_warp', 'bend_weft'] },
  { key: 'damping', name: 'damping', numbers: ['damping'] },
  { key: 'thickness', name: 'thickness', numbers: ['thickness'] },
  { key: 'friction', name: 'friction', numbers: ['friction'] },
  { key: 'drag', name: 'drag', numbers: ['drag'] },
  { key: 'lift', name: 'lift', numbers: ['lift'] },
  { key: 'follow', name: 'follow', numbers: [] },
  { key: 'gravity', name: 'gravity', numbers: [] },
  { key: 'still_air', name: 'still air', numbers: [] },
];
/** Those of loose pieces, and where their numbers stand. */
const LOOSE: Record<string, string> = {
  areal_weight: 'kind/drift/weight',
  drag: 'kind/drift/drag',
  friction: 'kind/drift/friction',
  gravity: 'gravity',
  still_air: 'still_air',
};
const nameOf = (key: string) => SCALED.find((s) => s.key === key)?.name ?? key;

/** What can be done with all of a painted layer. */
const WHOLE = [
  { said: 'soak through', what: { fill: 1 }, done: 'soaked through' },
  { said: 'wash out', what: { fill: 0 }, done: 'washed out' },
  { said: 'spread', what: 'grow', done: 'spread' },
  { said: 'draw in', what: 'shrink', done: 'drawn in' },
  { said: 'even out', what: 'smooth', done: 'evened out' },
  { said: 'crisp up', what: 'sharpen', done: 'crisped up' },
  { said: 'turn over', what: 'invert', done: 'turned over' },
  { said: 'mirror across x', what: { mirror: 0 }, done: 'mirrored across x' },
  { said: 'mirror across y', what: { mirror: 1 }, done: 'mirrored across y' },
  { said: 'mirror across z', what: { mirror: 2 }, done: 'mirrored across z' },
];

/** What a map is for, in a few words. */
function uses(body: Body, map: string): string[] {
  const scaled = Object.entries(body.scaled ?? {}).filter(([, by]) => by.map === map);
  const grips = Object.values(body.grips ?? {}).filter((g) => g.map === map);
  const { kind } = body;
  const spread = 'strands' in kind ? kind.strands.spread : 'plants' in kind ? kind.plants.spread : null;
  const grows = spread === map ? ['where it grows'] : [];
  const finished = [body.finish?.by === map && 'thick as finished', body.finish?.hides === map && 'left out as finished'];
  return [
    ...scaled.map(([what]) => nameOf(what)),
    ...grips.map((g) => g.name),
    ...grows,
    ...finished.filter((w) => w !== false && w !== undefined),
  ];
}

export function Maps({ id }: { id: string }) {
  const body = useScene((s) => s.bodies[id]);
  const maps = body?.maps ?? NONE;
  const loose = Boolean(body && !clothOf(body));
  const shown = useShownMap(id);
  const points = useView((v) => v.points.length);
  const paint = async () => {
    const map = await addMap(id, 'Painted', { painted: {} });
    if (map) await beginPainting(id, map);
  };
  const fromChoice = async () => {
    const area = await chosenArea(id);
    if (area) await addMap(id, 'Around the chosen', { distance: { from: [area], reach: 0.2 } });
    setView({ points: [] });
  };
  return (
    <Section
      title="Maps"
      action={
        <span className="flex">
          {points > 0 && (
            <Button look="quiet" hint="1 at the chosen points, less with the distance from them" onClick={() => void fromChoice()}>
              Map of the chosen
            </Button>
          )}
          {!loose && (
            <Button look="quiet" hint="A new map, with the brush at hand" onClick={() => void paint()}>
              Paint a map
            </Button>
          )}
          <Button look="quiet" hint="A new map, 1 within a part of space" onClick={() => void addMap(id, 'Zone', zoneOn(id))}>
            Zone
          </Button>
        </span>
      }
    >
      {Object.keys(maps).length === 0 && (
        <p className="px-4 py-1.5">
          {loose
            ? 'No weights yet: let a zone say where pieces are heavy or light.'
            : 'No weights yet: paint where it is soft, heavy or held, or let a zone say it.'}
        </p>
      )}
      {body &&
        Object.entries(maps).map(([k, m]) => (
          <Seen key={k} when={k === shown}>
            <Row
              name={m.name}
              note={uses(body, k).join(', ') || 'drives nothing'}
              mark={<Drop dye={m.dye ?? 'woad'} on={k === shown} />}
              open={k === shown}
              onOpen={() => setView({ map: k === shown ? null : k, layer: null, tool: 'look', handle: null })}
              tools={
                <Menu
                  label={`More for ${m.name}`}
                  items={[
                    { name: 'Hatch it over the shown one', act: () => setView((v) => ({ hatch: v.hatch === k ? null : k })) },
                    { name: 'Remove', act: () => void removeMap(id, k) },
                  ]}
                />
              }
            >
              <MapCard body={id} of={body} id={k} map={m} />
            </Row>
          </Seen>
        ))}
    </Section>
  );
}

/** A drop of dye. */
const Drop = ({ dye, on }: { dye: Dye; on: boolean }) => (
  <svg width="14" height="16" aria-hidden>
    <path
      d="M7 1.500C9 5 12 7 12 10.500a5 5 0 0 1-10 0C2 7 5 5 7 1.500z"
      fill={on ? DYED_DEEP[dye] : 'none'}
      stroke={DYED_DEEP[dye]}
      strokeWidth="1.600"
    />
  </svg>
);

function MapCard({ body, of, id, map }: { body: string; of: Body; id: string; map: Weights }) {
  const base = `/bodies/${body}/maps/${id}`;
  const { now, fault } = useMap(body, id);
  const hatch = useView((v) => v.hatch);
  const layer = useView((v) => v.layer);
  const names = Object.entries(of.maps ?? {})
    .filter(([k]) => k !== id)
    .map(([, m]) => m.name);
  const others = Object.entries(of.maps ?? {}).filter(([k]) => k !== id);
  const on =
    layer !== null && map.layers[layer] && 'painted' in map.layers[layer].weights
      ? layer
      : map.layers.findLastIndex((l) => 'painted' in l.weights);
  return (
    <>
      {fault && <Note tone="care">{fault}</Note>}
      {now && <Bars now={now} dye={map.dye ?? 'woad'} />}
      <Actions>
        {clothOf(of) && (
          <Button look="main" hint="With the brush, in the view" onClick={() => void beginPainting(body, id)}>
            Paint
          </Button>
        )}
        {on >= 0 && (
          <Choice
            label={`Do with all of ${map.name}`}
            value=""
            placeholder="all of it…"
            options={WHOLE.map((w) => ({ value: w.said, label: w.said }))}
            onChoose={(v) => {
              const w = WHOLE.find((x) => x.said === v)!;
              void doWhole(body, id, on, w.what, `${map.name} ${w.done}`);
            }}
          />
        )}
      </Actions>
      <Layers map={pathOf(body, id)} body={body} begin={() => zoneOn(body)} own={map} />
      <Scales body={body} of={of} map={id} />
      <Fold name="Name, dye and the whole" closed>
        <TextField label="Name" path={`${base}/name`} taken={names} />
        <ChoiceField
          label="Dye"
          of={map.name}
          value={map.dye ?? 'woad'}
          options={DYES.map((d) => ({ value: d, label: d }))}
          onChoose={(d) => void setValue(`${map.name} dyed ${d}`, `${base}/dye`, d)}
        />
        <SwitchField label="Inverted" path={`${base}/invert`} of={map.name} />
        <SaveMap body={body} map={id} of={map.name} />
        <NumberField path={`${base}/smooth`} otherwise={0} of={map.name} whole />
        <Remap base={base} map={map} />
        {others.length > 0 && (
          <ChoiceField
            label="Hatched"
            of={map.name}
            value={hatch && hatch !== id ? hatch : '·'}
            options={[{ value: '·', label: 'no other map' }, ...others.map(([k, m]) => ({ value: k, label: m.name }))]}
            onChoose={(k) => setView({ hatch: k === '·' ? null : k })}
          />
        )}
        <Line label="Choose">
          <Button
            hint="Chooses all points whose weight is a half or more"
            disabled={!now}
            onClick={() => now && choosePoints(Array.from(now.weights.keys()).filter((p) => now.weights[p]! >= 0.5))}
          >
            Points above 0.5
          </Button>
        </Line>
      </Fold>
    </>
  );
}

/** What becomes of weights: a low end and a high end that they are stretched between, where it is on. */
function Remap({ base, map }: { base: string; map: Weights }) {
  const remap = map.remap ?? [];
  if (remap.length !== 2) {
    return (
      <Line label="Remap">
        <Button
          hint="Stretches weights between two values"
          onClick={() =>
            void setValue(`${map.name} remapped`, `${base}/remap`, [
              [0.25, 0],
              [0.75, 1],
            ])
          }
        >
          {remap.length === 0 ? 'Between two values' : 'Only two values'}
        </Button>
      </Line>
    );
  }
  return (
    <>
      <NumberField label="Low from" path={`${base}/remap/0/0`} of={map.name} />
      <NumberField label="becomes" path={`${base}/remap/0/1`} of={`${map.name} low`} />
      <NumberField label="High from" path={`${base}/remap/1/0`} of={map.name} />
      <NumberField label="becomes" path={`${base}/remap/1/1`} of={`${map.name} high`} />
      <Actions>
        <Button onClick={() => void edit(`${map.name} not remapped`, [{ op: 'remove', path: `${base}/remap` }])}>As it is</Button>
      </Actions>
    </>
  );
}

/** Least, most and mean, over a little histogram in the map's own dye. */
function Bars({ now, dye }: { now: MapNow; dye: Dye }) {
  const { bars, least, most, mean, moves } = now.head;
  const high = Math.max(1, ...bars);
  return (
    <div className="px-4 pt-1 pl-9">
      <div aria-hidden className="flex h-8 items-end gap-px">
        {bars.map((b, k) => (
          <span
            key={k}
            className="flex-1 rounded-t-[2px]"
            style={{
              height: b > 0 ? `${Math.max(6, 100 * Math.sqrt(b / high))}%` : '1px',
              background: DYED_DEEP[dye],
              opacity: 0.25 + (0.75 * (k + 1)) / bars.length,
            }}
            title={count(b, 'point')}
          />
        ))}
      </div>
      <p className="num pt-1 text-[12px] text-faded" data-testid="map-stats">
        {least.toFixed(2)} to {most.toFixed(2)}, mean {mean.toFixed(2)}
        {moves ? ', moves' : ''}
      </p>
    </div>
  );
}

/** Which properties the map drives, from what to what in their own units; another can be added. */
function Scales({ body, of, map }: { body: string; of: Body; map: string }) {
  const schema = useSchema();
  const matter = clothOf(of)?.matter as Record<string, unknown> | undefined;
  const scaled = Object.entries(of.scaled ?? {}).filter(([, by]) => by.map === map);
  const free = SCALED.filter(
    (s) => !(of.scaled ?? {})[s.key as never] && (s.key !== 'follow' || of.follow != null) && (matter || LOOSE[s.key]),
  );
  const grips = Object.entries(of.grips ?? {}).filter(([, g]) => g.map === map);
  const name = of.maps?.[map]?.name ?? '';
  const ends = (key: string, least: number, most: number) => {
    const path = SCALED.find((s) => s.key === key)?.numbers[0];
    const full = `/bodies/${body}/${matter ? (path ? `kind/cloth/matter/${path}` : key) : LOOSE[key]}`;
    const f = facts(schema, full);
    const own = plain(at({ bodies: { [body]: of } }, full) as never, f.initial ?? { gravity: 1, still_air: 0 }[key] ?? 0);
    const [unit, factor] = shownIn(f.unit);
    return `${showNumber(Number((own * least * factor).toPrecision(3)))} to ${showNumber(Number((own * most * factor).toPrecision(3)))} ${unit}`;
  };
  const add = (key: string) => {
    const [least, most] = key === 'thickness' ? [0.5, 1] : key === 'areal_weight' ? [1, 2] : [0, 1];
    const value = { map, least, most };
    const path = `/bodies/${body}/scaled`;
    void edit(`${name} drives ${nameOf(key)}`, [
      Object.keys(of.scaled ?? {}).length > 0 ? { op: 'add', path: `${path}/${key}`, value } : { op: 'add', path, value: { [key]: value } },
    ]);
  };
  return (
    <Fold name="Drives" note={[...scaled.map(([k]) => nameOf(k)), ...grips.map(([, g]) => g.name)].join(', ') || 'nothing'}>
      {scaled.map(([key, by]) => (
        <div key={key} className="pb-1">
          <Line label={nameOf(key)}>
            <span className="flex items-center justify-between gap-2">
              <span className="num truncate">{ends(key, by.least ?? 0, by.most ?? 1)}</span>
              <Button
                look="quiet"
                aria-label={`${name} no longer drives ${nameOf(key)}`}
                onClick={() =>
                  void edit(`${name} no longer drives ${nameOf(key)}`, [{ op: 'remove', path: `/bodies/${body}/scaled/${key}` }])
                }
              >
                ×
              </Button>
            </span>
          </Line>
          <NumberField label="times, at 0" path={`/bodies/${body}/scaled/${key}/least`} otherwise={0} of={`${name} ${nameOf(key)}`} />
          <NumberField label="times, at 1" path={`/bodies/${body}/scaled/${key}/most`} otherwise={1} of={`${name} ${nameOf(key)}`} />
        </div>
      ))}
      {grips.map(([k, g]) => (
        <Note key={k}>How firmly the grip “{g.name}” holds</Note>
      ))}
      <Line label="Scale">
        <Choice
          label={`${name} drives another property`}
          value=""
          placeholder="a number…"
          options={free.map((s) => ({ value: s.key, label: s.name }))}
          onChoose={add}
        />
      </Line>
      <Actions>
        <Button
          disabled={!matter}
          hint="A grip on all points where the map is not 0: firm where it is 1"
          onClick={() => void holdByMap(body, of, map)}
        >
          Hold by this map
        </Button>
      </Actions>
    </Fold>
  );
}

function holdByMap(body: string, of: Body, map: string) {
  const name = `By ${of.maps?.[map]?.name ?? 'map'}`;
  const taken = of.grips ?? {};
  let key = `by-${map}`.slice(0, 36);
  for (let n = 2; key in taken; n++) key = `by-${map}`.slice(0, 34) + `-${n}`;
  return edit(`${name} held`, [{ op: 'add', path: `/bodies/${body}/grips/${key}`, value: { name, points: [], map, to: 'world' } }]);
}

const AS_FILE = [
  { value: 'npy', label: 'NumPy, a weight a point' },
  { value: 'csv', label: 'a table, a weight a point' },
  { value: 'png', label: 'PNG by its UVs, 1024 × 1024' },
  { value: 'exr', label: 'EXR by its UVs, 1024 × 1024' },
];

/** Saving what a map comes to at the frame on screen. */
function SaveMap({ body, map, of }: { body: string; map: string; of: string }) {
  const save = (format: string) =>
    download(
      `/projects/${openId()}/bodies/${body}/maps/${map}/files/${format}?frame=${clock.frame}`,
      new AbortController().signal,
      () => {},
    ).catch(tell);
  return (
    <Line label="As a file">
      <Choice label={`Save ${of}`} value="" placeholder="save as…" options={AS_FILE} onChoose={(f) => void save(f)} />
    </Line>
  );
}
