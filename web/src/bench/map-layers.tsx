/** The layers of a map, the topmost first: each opened where it stands. */
import { useRef } from 'react';
import type { Layer, Map as Weights } from '../api/http';
import { addLayer, bringInPicture, chosenArea, moveLayer, removeLayer } from '../state/maps';
import { kinds } from '../state/pointer';
import { setValue } from '../state/project';
import { grows, useScene, useSchema, useShape } from '../state/queries';
import { clothOf } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { Choice, ChoiceField, SwitchField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Line, Note, Row } from '../ui/section';
import { count } from '../ui/sum';
import { SchemaRows } from './schema-rows';
import { Menu } from './thing-tools';
import { ZoneForms } from './zone';

const NAMES: Record<string, string> = {
  painted: 'painted',
  zone: 'zone',
  noise: 'noise',
  picture: 'picture',
  ramp: 'ramp',
  distance: 'distance',
  border: 'near a border',
  file: 'from a file',
};
const BLENDS = [
  { value: 'over', label: 'over' },
  { value: 'add', label: 'added' },
  { value: 'take', label: 'taken away' },
  { value: 'multiply', label: 'multiplied' },
  { value: 'most', label: 'the larger' },
  { value: 'least', label: 'the smaller' },
];
const AXES = ['x', 'y', 'z', 'u', 'v'].map((value) => ({ value, label: value }));
/** Strands have no UVs, and go from root to tip. */
const STRAND_AXES = [{ value: 'strand', label: 'from root to tip' }, ...AXES.slice(0, 3)];

export const kindOfLayer = (l: Layer) => Object.keys(l.weights)[0]!;

/** The layers of the map at a path: of `body`, or of a surface that is none, with a zone that begins where it is. */
export function Layers({ map, body, begin, own }: { map: string; body: string | null; begin: () => Layer['weights']; own: Weights }) {
  const schema = useSchema();
  const open = useView((v) => v.layer);
  const picture = useRef<HTMLInputElement>(null);
  const loose = useScene((s) => Boolean(body && s.bodies[body] && !clothOf(s.bodies[body]))) ?? false;
  const begins = kinds(schema, 'Weights').filter((k) => (!loose && body !== null) || ['zone', 'noise', 'ramp'].includes(k.kind));
  const add = (kind: string) => {
    if (kind === 'picture') return picture.current?.click();
    const found = begins.find((k) => k.kind === kind);
    if (found) void addLayer(map, kind === 'zone' ? begin() : ({ [kind]: found.begins } as Layer['weights']), NAMES[kind] ?? kind);
  };
  const layers = own.layers.map((l, k) => ({ l, k })).reverse();
  return (
    <Fold name="Layers" note={layers.map(({ l }) => NAMES[kindOfLayer(l)]).join(', ')}>
      {layers.map(({ l, k }) => {
        const kind = kindOfLayer(l);
        const path = `${map}/layers/${k}`;
        return (
          <div key={k} className="pl-4">
            <Row
              name={NAMES[kind] ?? kind}
              note={[
                k > 0 || (l.blend && l.blend !== 'over') ? BLENDS.find((b) => b.value === (l.blend ?? 'over'))!.label : '',
                l.invert ? 'inverted' : '',
                l.on === false ? 'off' : '',
              ]
                .filter(Boolean)
                .join(', ')}
              dim={l.on === false}
              open={open === k}
              onOpen={() => setView({ layer: open === k ? null : k })}
              tools={
                <Menu
                  label={`More for layer ${k + 1} of ${own.name}`}
                  items={[
                    ...(k + 1 < own.layers.length ? [{ name: 'Above the next', act: () => void moveLayer(map, k, 1) }] : []),
                    ...(k > 0 ? [{ name: 'Below the one before', act: () => void moveLayer(map, k, -1) }] : []),
                    { name: 'Remove', act: () => void removeLayer(map, k) },
                  ]}
                />
              }
            >
              <LayerCard path={path} of={`${own.name} ${NAMES[kind]}`} body={body} layer={l} first={k === 0} />
            </Row>
          </div>
        );
      })}
      <Line label="Add">
        <Choice
          label={`Lay on ${own.name}`}
          value=""
          placeholder="a layer…"
          options={[
            ...begins.map((b) => ({ value: b.kind, label: NAMES[b.kind] ?? b.kind })),
            ...(loose ? [] : [{ value: 'picture', label: 'picture…' }]),
          ]}
          onChoose={add}
        />
      </Line>
      <FileInput
        ref={picture}
        label={`Picture for ${own.name}`}
        read="picture"
        onFile={(file) =>
          void bringInPicture(file).then((blob) =>
            blob ? addLayer(map, { picture: { from: { blob } } } as Layer['weights'], 'picture') : null,
          )
        }
      />
    </Fold>
  );
}

function LayerCard({ path, of, body, layer, first }: { path: string; of: string; body: string | null; layer: Layer; first: boolean }) {
  const kind = kindOfLayer(layer);
  const { weights } = layer;
  const base = `${path}/weights/${kind}`;
  const strands = useScene((s) => Boolean(body && s.bodies[body] && grows(s.bodies[body]))) ?? false;
  return (
    <>
      {!first && (
        <ChoiceField
          label="Laid on"
          of={of}
          value={layer.blend ?? 'over'}
          options={BLENDS}
          onChoose={(v) => void setValue(`${of} laid on ${v}`, `${path}/blend`, v)}
        />
      )}
      <NumberField path={`${path}/strength`} otherwise={1} of={of} />
      <Line label="On">
        <Toggle label={`${of} on`} on={layer.on !== false} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, `${path}/on`, v)} />
      </Line>
      <SwitchField label="Inverted" path={`${path}/invert`} of={of} />
      {'painted' in weights && (
        <Note>
          {weights.painted.strokes?.length
            ? `${count(weights.painted.strokes.length, 'stroke')}: carried over to other points when the body is made finer or coarser`
            : 'Nothing is painted yet'}
        </Note>
      )}
      {'zone' in weights && (
        <>
          <ZoneForms path={base} of={of} zone={weights.zone} />
          {body ? (
            <Note>It is where it is beside the body’s own place. On what the body begins on too, it stays where it is on the body.</Note>
          ) : (
            <Note>It is where it is beside the surface’s own place.</Note>
          )}
        </>
      )}
      {'ramp' in weights && (
        <>
          <ChoiceField
            label="Along"
            of={of}
            value={weights.ramp.along}
            options={strands ? STRAND_AXES : AXES}
            onChoose={(v) => void setValue(`${of} along ${v}`, `${base}/along`, v)}
          />
          <SchemaRows base={base} of={of} seldom={false} />
        </>
      )}
      {('noise' in weights || 'picture' in weights) && <SchemaRows base={base} of={of} seldom={false} />}
      {'picture' in weights && <SwitchField label="Upside down" path={`${base}/flip`} of={of} />}
      {'distance' in weights && body && <FromRows base={base} of={of} body={body} from={weights.distance.from} />}
    </>
  );
}

/** What a distance is told from. */
function FromRows({
  base,
  of,
  body,
  from,
}: {
  base: string;
  of: string;
  body: string;
  from: Extract<Layer['weights'], { distance: unknown }>['distance']['from'];
}) {
  const { shape } = useShape(body);
  const points = useView((v) => v.points.length);
  const words = from.map((c) =>
    'border' in c
      ? `the border “${c.border.border}”`
      : 'corner' in c
        ? `the ${c.corner.replace(/ corner$/, '')} corner`
        : 'area' in c
          ? 'chosen points'
          : count(c.near.length, 'point'),
  );
  const borders = shape?.head.borders ?? [];
  return (
    <>
      <Note>{words.length > 0 ? `From ${words.join(' and ')}, along the surface` : 'From nothing yet: it is 0 everywhere'}</Note>
      {borders.length > 0 && (
        <Line label="From">
          <Choice
            label={`${of} from a border`}
            value=""
            placeholder="a border…"
            options={borders.map((b) => ({ value: b.name, label: b.name }))}
            onChoose={(b) => void setValue(`${of} from ${b}`, `${base}/from`, [{ border: { border: b, by: 'all' } }])}
          />
        </Line>
      )}
      {points > 0 && (
        <Actions>
          <Button
            onClick={() => void chosenArea(body).then((area) => area && setValue(`${of} from the chosen points`, `${base}/from`, [area]))}
          >
            From the {count(points, 'chosen point')}
          </Button>
        </Actions>
      )}
      <NumberField path={`${base}/reach`} of={of} />
    </>
  );
}
