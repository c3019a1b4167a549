import type { Body } from '../api/http';
import type { Shape } from '../api/shape';
import { edit, setValue, useScene } from '../store/scene';
import { setView } from '../store/view';
import { Button } from '../ui/button';
import { ChoiceField } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Note, Row, Section } from '../ui/section';
import { TextField } from '../ui/text-field';
import { NoBody } from './bench';
import { addSheet, chooseMesh, removeBody, useBody } from './bodies';

export function ShapeStep() {
  const bodies = useScene((s) => s.project?.scene.bodies) ?? {};
  const shapes = useScene((s) => s.shapes);
  const open = useBody();
  if (Object.keys(bodies).length === 0) return <NoBody />;
  return (
    <Section
      title="Bodies"
      action={
        <span>
          <Button look="quiet" onClick={() => void addSheet()}>Add a sheet</Button>
          <Button look="quiet" onClick={() => chooseMesh()}>Bring in a mesh</Button>
        </span>
      }
    >
      {Object.entries(bodies).map(([id, body]) => (
        <Row
          key={id}
          name={body.name}
          note={shapes[id] ? `${shapes[id].head.points.toLocaleString('en')} points` : '…'}
          mark={<Swatch />}
          open={id === open}
          onOpen={() => setView({ body: id, points: [], grip: null })}
        >
          <BodyCard id={id} body={body} shape={shapes[id]} />
        </Row>
      ))}
    </Section>
  );
}

const Swatch = () => (
  <svg width="16" height="16" aria-hidden>
    <path d="M1.5 3.5c4-2 8 2 13 0v9c-5 2-9-2-13 0z" fill="var(--ground)" stroke="var(--ink)" strokeWidth="1.5" />
  </svg>
);

const mm = (m: number) => (m < 0.1 ? `${(m * 1000).toFixed(m < 0.01 ? 1 : 0)} mm` : `${m.toFixed(2)} m`);

function BodyCard({ id, body, shape }: { id: string; body: Body; shape: Shape | undefined }) {
  const fault = useScene((s) => s.shapeFaults[id]);
  const base = `/bodies/${id}`;
  const of = body.name;
  const sheet = 'sheet' in body.shape ? body.shape.sheet : null;
  return (
    <>
      <TextField label="Name" path={`${base}/name`} />
      {sheet ? (
        <>
          <NumberField path={`${base}/shape/sheet/width`} of={of} />
          <NumberField path={`${base}/shape/sheet/depth`} of={of} />
          <NumberField path={`${base}/shape/sheet/columns`} of={of} whole />
          <NumberField path={`${base}/shape/sheet/rows`} of={of} whole />
          <ChoiceField
            label="Warp runs"
            value={sheet.warp ?? 'width'}
            options={[{ value: 'width', label: 'along the width' }, { value: 'depth', label: 'along the depth' }]}
            onChoose={(v) => void setValue(`${of} warp`, `${base}/shape/sheet/warp`, v)}
          />
        </>
      ) : (
        <ShapeNumbers base={`${base}/shape`} shape={body.shape} of={of} />
      )}
      {fault && <Note tone="care">{fault}</Note>}
      {shape && (
        <Note>
          Longest edge {mm(shape.head.longest_edge)}, folds down to {mm(shape.head.smallest_fold)} wide, {shape.head.triangles.toLocaleString('en')} triangles
        </Note>
      )}
      {shape?.head.coarse && (
        <>
          <Note tone="care">Too coarse to fold: fewer than 16 edges across make a board.</Note>
          <Actions><Button onClick={() => void makeFiner(id, body)}>Make it fine enough</Button></Actions>
        </>
      )}
      <h3 className="px-4 pt-3 pb-1 pl-9 text-[12px] font-semibold text-faded">Place</h3>
      {['x', 'y', 'z'].map((axis, k) => (
        <NumberField key={axis} path={`${base}/place/position/${k}`} label={`Position ${axis}`} of={of} />
      ))}
      {['x', 'y', 'z'].map((axis, k) => (
        <NumberField key={axis} path={`${base}/place/turn/${k}`} label={`Turn ${axis}`} of={of} />
      ))}
      <MatterFrom id={id} body={body} />
      {(['areal_weight', 'stretch_warp', 'stretch_weft', 'shear', 'poisson', 'bend_warp', 'bend_weft', 'damping', 'drag', 'lift', 'friction', 'thickness'] as const).map((key) => (
        <NumberField key={key} path={`${base}/matter/${key}`} of={of} />
      ))}
      <Actions><Button onClick={() => void removeBody(id)}>Remove {of}</Button></Actions>
    </>
  );
}

/** The numbers of a generated shape other than the sheet, or how often a mesh is refined. */
function ShapeNumbers({ base, shape, of }: { base: string; shape: Body['shape']; of: string }) {
  const [kind, numbers] = Object.entries(shape)[0] as [string, Record<string, unknown>];
  if (kind === 'mesh') return <NumberField path={`${base}/mesh/refine`} of={of} whole />;
  const whole = new Set(['rings', 'cells', 'around', 'along', 'about']);
  return Object.entries(numbers).flatMap(([key, value]) =>
    Array.isArray(value)
      ? value.map((_, k) => <NumberField key={key + k} path={`${base}/${kind}/${key}/${k}`} label={`${key === 'cells' ? 'Cells' : 'Size'} ${'xyz'[k]}`} of={of} whole={whole.has(key)} />)
      : [<NumberField key={key} path={`${base}/${kind}/${key}`} of={of} whole={whole.has(key)} />],
  );
}

/** What a matter began as, where its numbers come from, and the way back to them. */
function MatterFrom({ id, body }: { id: string; body: Body }) {
  const matters = useScene((s) => s.matters);
  const path = `/bodies/${id}/matter`;
  const began = matters.find((m) => m.id === body.matter?.preset);
  const choose = (m: (typeof matters)[number], word: string) => edit(`${body.name} ${word} ${m.name}`, [{ op: 'replace', path, value: m.matter }]);
  const nudged = began && Object.entries(began.matter).some(([k, v]) => body.matter?.[k as keyof typeof body.matter] !== v);
  return (
    <>
      <h3 className="px-4 pt-3 pb-1 pl-9 text-[12px] font-semibold text-faded">Matter</h3>
      <ChoiceField
        label="Began as"
        value={began?.id ?? 'own'}
        options={[...(began ? [] : [{ value: 'own', label: 'own numbers' }]), ...matters.map((m) => ({ value: m.id, label: m.name }))]}
        onChoose={(v) => {
          const m = matters.find((x) => x.id === v);
          if (m) void choose(m, 'made of');
        }}
      />
      {began && <Note>{began.source}.</Note>}
      {nudged && <Actions><Button onClick={() => void choose(began, 'set back to')}>Back to {began.name}</Button></Actions>}
    </>
  );
}

/** One click from a board to a cloth: twenty edges across the narrower side, or a mesh split once more. */
function makeFiner(id: string, body: Body) {
  const base = `/bodies/${id}/shape`;
  if ('sheet' in body.shape) {
    const { width, depth } = body.shape.sheet;
    const edge = Math.min(width, depth) / 20;
    const points = (size: number) => Math.min(2000, Math.round(size / edge) + 1);
    return edit(`${body.name} made finer`, [
      { op: 'replace', path: `${base}/sheet/columns`, value: points(width) },
      { op: 'replace', path: `${base}/sheet/rows`, value: points(depth) },
    ]);
  }
  if ('mesh' in body.shape) return setValue(`${body.name} made finer`, `${base}/mesh/refine`, (body.shape.mesh.refine ?? 0) + 1);
  const [kind, numbers] = Object.entries(body.shape)[0] as [string, Record<string, number | number[]>];
  const twice = ['rings', 'cells', 'around', 'along', 'about'].filter((k) => k in numbers);
  const more = (v: number | number[]) => (Array.isArray(v) ? v.map((n) => 2 * n) : 2 * v);
  return edit(`${body.name} made finer`, twice.map((k) => ({ op: 'replace' as const, path: `${base}/${kind}/${k}`, value: more(numbers[k]!) })));
}
