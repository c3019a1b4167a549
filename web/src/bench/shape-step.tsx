import type { Body, Dye } from '../api/http';
import { DYED } from '../state/dyes';
import { edit, editBy } from '../state/project';
import { kinds } from '../state/pointer';
import { useMatters, useScene, useSchema, useShape } from '../state/queries';
import { clothOf, isLoose, kindOf } from '../state/value';
import { setView } from '../state/view';
import { About } from '../ui/about';
import { Button } from '../ui/button';
import { Chip, Strokes } from '../ui/chip';
import { ChoiceField } from '../ui/choice-field';
import { NumberField, NumberRow } from '../ui/number-field';
import { Actions, Fold, Note, Row, Section } from '../ui/section';
import { count } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { FeelPicture } from './feel';
import { Figures } from './figures';
import { LayerRows } from './layers';
import { Look } from './look';
import { chooseMesh } from './import-mesh';
import { PlaceRows } from './place';
import { sewnShapes } from '../state/sewn';
import { RestShape } from './rest';
import { SchemaRows } from './schema-rows';
import { GrowRows } from './grow';
import { PlantRows, Shelf, askForPlant } from './plants';
import { FliesRows, idle, ShedRows } from './shed';
import { SourceRows } from './source';
import { ThingTools } from './thing-tools';
import { Sewn } from './sewn';
import { addKind, addPlants, addShape, capital, KIND_NAMES, SHAPE_NAMES } from './things';
import { useBody } from './use-body';

export function ShapeStep() {
  const bodies = useScene((s) => s.bodies) ?? {};
  const open = useBody();
  const schema = useSchema();
  const sewn = sewnShapes(schema).map((c) => c.kind);
  const none = Object.keys(bodies).length === 0;
  const loose = kinds(schema, 'Kind').filter(({ kind }) => !SHELVED.includes(kind));
  return (
    <>
      <Section
        title="Bodies"
        action={
          <Button look="quiet" onClick={() => chooseMesh('cloth')}>
            Bring in a mesh
          </Button>
        }
      >
        {none && <Note>There is nothing to move yet. Add something, or bring in a mesh.</Note>}
        {Object.entries(bodies).map(([id, body]) => (
          <BodyRow key={id} id={id} body={body} open={id === open} />
        ))}
      </Section>
      <Section title="Add">
        <div className="flex flex-wrap gap-2 px-4">
          {kinds(schema, 'Shape')
            .filter(({ kind }) => !sewn.includes(kind))
            .map(({ kind }) => (
              <Chip key={kind} picture={<Strokes d={PICTURES[kind] ?? PLAIN} />} name={capital(kind)} onPress={() => void addShape(kind)} />
            ))}
          {loose.map(({ kind }) => (
            <Chip
              key={kind}
              picture={<Strokes d={PICTURES[kind] ?? PLAIN} />}
              name={KIND_NAMES[kind] ?? capital(kind)}
              hint={KINDS[kind]}
              onPress={() => void addKind(kind)}
            />
          ))}
        </div>
      </Section>
      <Section title="Add plants">
        <Shelf onTake={(name, species) => void addPlants(name, species)} onMesh={() => askForPlant(null)} />
      </Section>
      <Section title="Add, sewn and filled">
        <div className="flex flex-wrap gap-2 px-4">
          {sewn.map((kind) => (
            <Chip
              key={kind}
              picture={<Strokes d={PICTURES[kind] ?? PLAIN} />}
              name={SHAPE_NAMES[kind] ?? capital(kind)}
              hint={kind === 'panels' ? 'A panel cut to an outline of your own, sewn to the same from behind' : undefined}
              onPress={() => void addShape(kind)}
            />
          ))}
        </div>
      </Section>
      <Figures />
    </>
  );
}

/** What is added, in a few strokes; what has none is drawn as a piece of cloth. */
const PLAIN = 'M2 5c4-2 8 2 12 0v7c-4 2-8-2-12 0z';
const PICTURES: Record<string, string> = {
  tube: 'M3 4c0-2 10-2 10 0s-10 2-10 0v8c0 2 10 2 10 0V4',
  disc: 'M2 8a6 6 0 1 0 12 0a6 6 0 1 0-12 0M8 8h.01',
  ring: 'M2 8a6 6 0 1 0 12 0a6 6 0 1 0-12 0M5.500 8a2.500 2.500 0 1 0 5 0a2.500 2.500 0 1 0-5 0',
  ball: 'M2 8a6 6 0 1 0 12 0a6 6 0 1 0-12 0M4 5.500c2.500 2 5.500 2 8 0',
  block: 'M2 5l6-3 6 3v6l-6 3-6-3zM2 5l6 3 6-3M8 8v6',
  drift: 'M4 6h.01M9 4h.01M12 8h.01M6.500 10h.01M3 13h10',
  strands: 'M3 14c0-6 2-8 2-12M7 14c0-6 2-7 2-11M11 14c0-5 2-7 2-10',
  cushion: 'M2 3c4 1.500 8 1.500 12 0-1.500 4-1.500 6 0 10-4-1.500-8-1.500-12 0 1.500-4 1.500-6 0-10z',
  bolster: 'M3 5c0-1.500 2-1.500 2 0v6c0 1.500-2 1.500-2 0zM5 4h7c1.500 1 1.500 7 0 8H5',
  star: 'M8 1.500l1.800 4.500 4.700.4-3.600 3.100 1.100 4.700L8 11.700l-4 2.500 1.100-4.700-3.600-3.100 4.700-.4z',
  gores: 'M8 2c-8 4-8 8 0 12M8 2c8 4 8 8 0 12M8 2v12M4 12h8',
  discs: 'M1.500 8c0-4 13-4 13 0s-13 4-13 0M4 6.500l1 1M8 5.500v1.300M12 6.500l-1 1',
  annuli: 'M2 8a6 6 0 1 0 12 0a6 6 0 1 0-12 0M5.500 8a2.500 2.500 0 1 0 5 0a2.500 2.500 0 1 0-5 0M8 2v2.500M8 11v3',
  panels: 'M3 3l5-1 5 2-1 9-8 1zM5 5.500l6 .5',
};

/** What kinds of bodies are, in a few words. */
const KINDS: Record<string, string> = {
  drift: 'Loose pieces that fall and pile up: pods, beads, crumbs',
  strands: 'Thin rods that grow from something: hair, tassels, plumes, grass',
};
/** What has a shelf of its own. */
const SHELVED = ['plants'];

function BodyRow({ id, body, open }: { id: string; body: Body; open: boolean }) {
  const { shape, fault } = useShape(id);
  return (
    <Row
      name={body.name}
      note={
        shape
          ? shape.head.strands
            ? count(shape.head.strands, shape.head.up ? 'plant' : 'strand')
            : count(shape.head.points, isLoose(body) ? 'piece' : 'point')
          : fault
            ? 'no shape'
            : '…'
      }
      mark={<Swatch dye={body.dye ?? 'linen'} kind={kindOf(body)} />}
      open={open}
      onOpen={() => setView({ body: id, points: [], grip: null })}
      tools={<ThingTools kind="bodies" id={id} name={body.name} />}
    >
      <BodyCard id={id} body={body} />
    </Row>
  );
}

/** The outlines of the kinds. */
const OUTLINES: Record<string, string> = {
  cloth: 'M1.5 3.5c4-2 8 2 13 0v9c-5 2-9-2-13 0z',
  plants: 'M8 15.500V5M8 9C5 9 4 7 3.500 5M8 11.500c3 0 4.200-2 4.700-4M8 5c-2-1-2-3 0-4.500C10 2 10 4 8 5',
  strands: 'M2 15C2.500 9 4 5 3 1M6 15c0-6 1-9 1-13M10 15c0-5 2-9 3-12M14 15c-.500-4 1-7 1-9',
  drift:
    'M2 5a2.200 2.200 0 1 1 4.400 0a2.200 2.200 0 1 1-4.400 0M9 4a2.200 2.200 0 1 1 4.400 0a2.200 2.200 0 1 1-4.400 0M5.500 11.500a2.200 2.200 0 1 1 4.400 0a2.200 2.200 0 1 1-4.400 0',
};

const Swatch = ({ dye, kind }: { dye: Dye; kind: string }) => (
  <svg width="16" height="16" aria-hidden>
    <path d={OUTLINES[kind] ?? OUTLINES['cloth']} fill={DYED[dye]} stroke="var(--ink)" strokeWidth="1.5" />
  </svg>
);

const mm = (m: number) => (m < 0.1 ? `${(m * 1000).toFixed(m < 0.01 ? 1 : 0)} mm` : `${m.toFixed(2)} m`);

function BodyCard({ id, body }: { id: string; body: Body }) {
  const { shape, fault } = useShape(id);
  const names =
    useScene((s) =>
      Object.entries(s.bodies)
        .filter(([k]) => k !== id)
        .map(([, b]) => b.name),
    ) ?? [];
  const base = `/bodies/${id}`;
  const of = body.name;
  return (
    <>
      <TextField label="Name" path={`${base}/name`} taken={names} />
      {clothOf(body) ? (
        <>
          <Matter id={id} body={body} />
          <Sewn id={id} body={body} />
          <LayerRows id={id} body={body} />
          <RestShape id={id} body={body} />
          <Fold name="Size and points" note={shape && count(shape.head.triangles, 'triangle')}>
            <ShapeNumbers id={id} body={body} />
            {fault && <Note tone="care">{fault}</Note>}
            {shape && (
              <Note>
                Longest edge {mm(shape.head.longest_edge)}, folds down to {mm(shape.head.smallest_fold)} wide,{' '}
                {count(shape.head.triangles, 'triangle')}
              </Note>
            )}
          </Fold>
        </>
      ) : (
        <>
          {'strands' in body.kind ? (
            <GrowRows id={id} of={of} own={body.kind.strands} />
          ) : 'plants' in body.kind ? (
            <PlantRows id={id} of={of} own={body.kind.plants} />
          ) : (
            <>
              <SchemaRows
                base={`${base}/kind/${kindOf(body)}`}
                of={of}
                seldom={false}
                without={'drift' in body.kind ? idle(body.kind.drift) : []}
              />
              {'drift' in body.kind && <FliesRows id={id} of={of} own={body.kind.drift} />}
              {'drift' in body.kind && !body.kind.drift.shed && <SourceRows id={id} of={of} own={body.kind.drift} />}
              {'drift' in body.kind && <ShedRows id={id} of={of} own={body.kind.drift} />}
              <SchemaRows base={`${base}/kind/${kindOf(body)}`} of={of} seldom />
            </>
          )}
          {fault && <Note tone="care">{fault}</Note>}
          {isLoose(body) && <Passing id={id} body={body} />}
        </>
      )}
      {shape?.head.coarse && (
        <>
          <Note tone="care">Too coarse to fold: fewer than 16 edges across make a board.</Note>
          <Actions>
            <Button onClick={() => void makeFiner(id, body)}>Make it fine enough</Button>
          </Actions>
        </>
      )}
      {!('figure' in (clothOf(body)?.shape ?? {})) && <PlaceRows base={base} of={of} />}
      <Look id={id} body={body} />
    </>
  );
}

/** Loose pieces fall through what doesn't touch others: said where that is so, with the cure. */
function Passing({ id, body }: { id: string; body: Body }) {
  const others = useScene((s) => Object.entries(s.bodies).filter(([k, b]) => k !== id && clothOf(b) && !b.touch?.others)) ?? [];
  if (others.length === 0 || !body.touch?.others) return null;
  const names = others.map(([, b]) => b.name).join(', ');
  const cure = () =>
    edit(
      `${names} touched by others`,
      others.map(([k, b]) => ({ op: 'add', path: `/bodies/${k}/touch`, value: { ...b.touch, others: true } })),
    );
  return (
    <>
      <Note tone="care">
        {names} {others.length === 1 ? 'touches' : 'touch'} no other bodies: the pieces fall through.
      </Note>
      <Actions>
        <Button onClick={() => void cure()}>Let them touch</Button>
      </Actions>
    </>
  );
}

/** What it is made of: the picture first, then what is changed most. */
function Matter({ id, body }: { id: string; body: Body }) {
  const matters = useMatters();
  const of = body.name;
  const base = `/bodies/${id}/kind/cloth/matter`;
  const part = (key: string, name?: string) => ({ path: `${base}/${key}`, ...(name ? { name } : {}) });
  const began = matters.find((m) => m.id === clothOf(body)?.matter?.preset);
  const choose = (m: (typeof matters)[number], word: string) =>
    edit(`${of} ${word} ${m.name}`, [{ op: 'replace', path: base, value: m.matter }]);
  const nudged = began && Object.entries(began.matter).some(([k, v]) => clothOf(body)?.matter?.[k as keyof typeof began.matter] !== v);
  return (
    <Fold name="Material" note={began ? `${began.name}${nudged ? ', changed' : ''}` : 'own numbers'}>
      <ChoiceField
        label="Preset"
        value={began?.id ?? 'own'}
        options={[...(began ? [] : [{ value: 'own', label: 'own numbers' }]), ...matters.map((m) => ({ value: m.id, label: m.name }))]}
        onChoose={(v) => {
          const m = matters.find((x) => x.id === v);
          if (m) void choose(m, 'made of');
        }}
      />
      <FeelPicture body={id} />
      <NumberField path={`${base}/areal_weight`} label="Weight" of={of} />
      <NumberRow label="Bend, µN·m" of={of} parts={[part('bend_warp', 'warp'), part('bend_weft', 'weft')]} />
      <NumberRow label="Stretch, N/m" of={of} parts={[part('stretch_warp', 'warp'), part('stretch_weft', 'weft')]} />
      <NumberField path={`${base}/shear`} of={of} />
      <NumberField path={`${base}/damping`} of={of} />
      <Fold name="Air, contact, Poisson" closed>
        <NumberRow label="In the air" of={of} parts={[part('drag', 'drag'), part('lift', 'lift')]} />
        <NumberField path={`${base}/friction`} of={of} />
        <NumberField path={`${base}/thickness`} of={of} />
        <NumberField path={`${base}/poisson`} of={of} />
      </Fold>
      {(began || nudged) && (
        <Actions>
          {began && <About label="Where these numbers come from">{`${began.source}.`}</About>}
          {nudged && <Button onClick={() => void choose(began, 'set back to')}>Back to {began.name}</Button>}
        </Actions>
      )}
    </Fold>
  );
}

/** The numbers of a generated shape, or how often a mesh is refined. */
function ShapeNumbers({ id, body }: { id: string; body: Body }) {
  const kind = Object.keys(clothOf(body)!.shape)[0]!;
  return <SchemaRows base={`/bodies/${id}/kind/cloth/shape/${kind}`} of={body.name} seldom={false} />;
}

/** One click from a board to a cloth: twenty edges across the narrower side, or all split once more. */
function makeFiner(id: string, body: Body) {
  const base = `/bodies/${id}/kind/cloth/shape`;
  return editBy(() => {
    const label = `${body.name} made finer`;
    const to = (path: string, value: unknown) => ({ op: 'replace' as const, path: `${base}/${path}`, value });
    const { shape } = clothOf(body)!;
    if ('sheet' in shape) {
      const { width, depth } = shape.sheet;
      const edge = Math.min(width, depth) / 20;
      const points = (size: number) => Math.min(2000, Math.round(size / edge) + 1);
      return { label, patch: [to('sheet/columns', points(width)), to('sheet/rows', points(depth))] };
    }
    if ('mesh' in shape) return { label, patch: [{ op: 'add', path: `${base}/mesh/refine`, value: (shape.mesh.refine ?? 0) + 1 }] };
    const [kind, numbers] = Object.entries(shape)[0] as [string, Record<string, number | number[]>];
    const twice = ['rings', 'cells', 'around', 'along', 'about'].filter((k) => k in numbers);
    const more = (v: number | number[]) => (Array.isArray(v) ? v.map((n) => 2 * n) : 2 * v);
    return { label, patch: twice.map((k) => to(`${kind}/${k}`, more(numbers[k]!))) };
  });
}
