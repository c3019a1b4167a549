/** Animated meshes: bringing them in, what of them plays, and what is made of them. */
import { useEffect, useRef } from 'react';
import { bytes, http, told, type Collider, type Figure, type FigureLook } from '../api/http';
import { say } from '../state/here';
import { edit, editBy, setValue, tell } from '../state/project';
import { openId, useFigure, useScene } from '../state/queries';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { FileInput, chooseFile } from '../ui/file-input';
import { Choice, ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Actions, Fold, Line, Note, Row, Section } from '../ui/section';
import { count } from '../ui/sum';
import { TextField } from '../ui/text-field';
import { PlaceRows } from './place';
import { SurfaceField } from './surface-field';
import { ThingTools } from './thing-tools';
import { addCut, addFigure, asksFor, freeKey, freeName } from './things';

export function Figures() {
  const figures = useScene((s) => s.figures) ?? {};
  const open = useView((v) => v.figure);
  return (
    <Section
      title="Figures"
      action={
        <Button look="quiet" hint="An animated mesh: GLB, glTF, OBJ, or a zip of OBJ files" onClick={() => chooseFile('figure-file')}>
          Bring in a figure
        </Button>
      }
    >
      {Object.keys(figures).length === 0 && (
        <p className="px-4 pb-1 text-faded">None yet: something animated that bodies hang on, or meet.</p>
      )}
      {Object.entries(figures).map(([id, f]) => (
        <FigureRow key={id} id={id} figure={f} open={id === open} />
      ))}
    </Section>
  );
}

/** The hidden input that a file is chosen with. */
export const FigureInput = () => (
  <FileInput id="figure-file" label="File of a figure" read="figure" onFile={(file) => void bringIn(file)} />
);

async function bringIn(file: File) {
  say({ title: `Looking at ${file.name}`, detail: `${(file.size / 1e6).toFixed(1)} MB`, tone: 'note' });
  try {
    const head = await told(http.POST('/api/figures', { params: { query: { name: file.name } }, ...bytes(file) }));
    say(null);
    await addFigure(file.name.replace(/\.[^.]+$/, ''), head.blob);
  } catch (e) {
    asksFor(e, `${file.name} is not brought in`);
  }
}

function FigureRow({ id, figure, open }: { id: string; figure: Figure; open: boolean }) {
  const { look, fault } = useFigure(id);
  const note = figure.scenery
    ? 'scenery'
    : look
      ? look.shapes > 0
        ? count(look.shapes, 'shape')
        : count(look.joints.length, 'joint')
      : fault
        ? 'no file'
        : '…';
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (open) here.current?.scrollIntoView({ block: 'nearest' });
  }, [open, look]);
  return (
    <div ref={here}>
      <Row
        name={figure.name}
        note={note}
        mark={<Sign />}
        open={open}
        onOpen={() => setView({ figure: open ? null : id })}
        tools={<ThingTools kind="figures" id={id} name={figure.name} />}
      >
        {fault && <Note tone="care">{fault}</Note>}
        <FigureCard id={id} figure={figure} look={look} />
      </Row>
    </div>
  );
}

/** Two wings on a thread. */
const Sign = () => (
  <svg width="16" height="16" aria-hidden>
    <path
      d="M8 3v10M8 5C5 1 1 3 2 6c.500 2 3 2.500 6 1M8 5c3-4 7-2 6 1-.500 2-3 2.500-6 1M8 8c-3 .500-4 3-2.500 4.500C7 13.500 8 11 8 8M8 8c3 .500 4 3 2.500 4.500C9 13.500 8 11 8 8"
      fill="none"
      stroke="var(--ink)"
      strokeWidth="1.300"
      strokeLinejoin="round"
    />
  </svg>
);

const ENDS = [
  { value: 'hold', label: 'stays' },
  { value: 'repeat', label: 'begins again' },
  { value: 'back', label: 'goes back and forth' },
];

function FigureCard({ id, figure, look }: { id: string; figure: Figure; look: FigureLook | undefined }) {
  const names =
    useScene((s) =>
      Object.entries(s.figures ?? {})
        .filter(([k]) => k !== id)
        .map(([, f]) => f.name),
    ) ?? [];
  const base = `/figures/${id}`;
  const of = figure.name;
  const clips = look?.clips ?? [];
  return (
    <>
      {clips.length > 0 && (
        <ChoiceField
          label="Clip"
          of={of}
          value={figure.clip ?? clips[0]!.name}
          options={clips.map((c) => ({ value: c.name, label: `${c.name}, ${c.length.toFixed(2)} s` }))}
          onChoose={(v) => void setValue(`${of} plays ${v}`, `${base}/clip`, v)}
        />
      )}
      {look && look.length > 0 && (
        <>
          <NumberField path={`${base}/begins`} label="Begins at" of={of} />
          <NumberField path={`${base}/speed`} otherwise={1} of={of} />
          <ChoiceField
            label="At its end"
            of={of}
            value={figure.then ?? 'hold'}
            options={ENDS}
            onChoose={(v) => void setValue(`${of} at its end`, `${base}/then`, v)}
          />
        </>
      )}
      {look && look.length === 0 && <Note>Nothing in the file moves it: it stands as it is.</Note>}
      <PlaceRows base={base} of={of} />
      {look && !figure.scenery && <Touches id={id} figure={figure} look={look} />}
      <Fold name="Name and more" closed>
        <TextField label="Name" path={`${base}/name`} taken={names} />
        <NumberField path={`${base}/size`} otherwise={1} of={of} />
        <SurfaceField base={base} of={of} is={figure.surface} />
        <Line label="Scenery">
          <Toggle
            label={`${of} is scenery`}
            on={figure.scenery ?? false}
            onTurn={(v) =>
              void edit(`${of} ${v ? 'is' : 'is no'} scenery`, [
                v ? { op: 'add', path: `${base}/scenery`, value: true } : { op: 'remove', path: `${base}/scenery` },
              ])
            }
          />
        </Line>
        <VersionRow id={id} figure={figure} />
        <PointsRow id={id} figure={figure} />
        {look && (
          <Note>
            {count(look.points, 'point')} in {look.parts.map((p) => p.name).join(', ')}
          </Note>
        )}
      </Fold>
    </>
  );
}

/** Another version of its file: what stands on it stays as far as it fits. */
function VersionRow({ id, figure }: { id: string; figure: Figure }) {
  const take = async (file: File) => {
    try {
      const head = await told(http.POST('/api/figures', { params: { query: { name: file.name } }, ...bytes(file) }));
      const path = { id: openId(), figure: id };
      const found = await told(http.GET('/api/projects/{id}/figures/{figure}/version', { params: { path, query: { blob: head.blob } } }));
      const done = await edit(`${figure.name} from ${file.name}`, found.patch as Parameters<typeof edit>[1]);
      const kept = found.kept.length > 0 ? `Kept: ${found.kept.join(' ')}` : '';
      if (done)
        say({
          title: found.lost.length > 0 ? `${figure.name} is of another file; not all of it fits` : `${figure.name} is of another file`,
          detail: [...found.lost, kept].filter(Boolean).join(' ') || 'Nothing stood on it.',
          tone: 'note',
        });
    } catch (e) {
      asksFor(e, `${file.name} is not brought in`);
    }
  };
  return (
    <Line label="File">
      <FileInput id={`version-${id}`} label={`Another version of ${figure.name}`} read="figure" onFile={(file) => void take(file)} />
      <Button
        hint="Takes the old file’s place: joints, spots, grips and maps stay as far as they fit"
        onClick={() => chooseFile(`version-${id}`)}
      >
        Another version…
      </Button>
    </Line>
  );
}

/** A NumPy array that moves its points in place of the file's own motion. */
function PointsRow({ id, figure }: { id: string; figure: Figure }) {
  const path = `/figures/${id}/points`;
  const take = async (file: File) => {
    try {
      const head = await told(http.POST('/api/figures', { params: { query: { name: file.name } }, ...bytes(file) }));
      await edit(`${figure.name} moved by ${file.name}`, [{ op: 'add', path, value: { blob: head.blob } }]);
    } catch (e) {
      asksFor(e, `${file.name} is not brought in`);
    }
  };
  return (
    <Line label="Points from">
      <FileInput
        id={`points-${id}`}
        label={`NumPy array of the points of ${figure.name}`}
        read="points"
        onFile={(file) => void take(file)}
      />
      <Button
        hint="(shapes, points, 3), one shape a frame: it moves the points in place of the file’s own motion"
        onClick={() => chooseFile(`points-${id}`)}
      >
        {figure.points ? 'Another array…' : 'A NumPy array…'}
      </Button>
      {figure.points && (
        <Button look="quiet" onClick={() => void edit(`${figure.name} moved by its file`, [{ op: 'remove', path }])}>
          Its own motion
        </Button>
      )}
    </Line>
  );
}

/** What bodies meet of it: nothing, its skin, or capsules on its joints. */
function Touches({ id, figure, look }: { id: string; figure: Figure; look: FigureLook }) {
  const of = figure.name;
  const skins =
    useScene((s) => Object.values(s.colliders ?? {}).filter((c) => 'figure' in c.form && c.form.figure.figure === id).length) ?? 0;
  const capsules =
    useScene((s) =>
      Object.entries(s.colliders ?? {})
        .filter(([, c]) => standsOnJoint(c, id))
        .map(([k]) => k),
    ) ?? [];
  const add = (form: object, name: string) =>
    editBy((scene) => {
      const all = scene.colliders ?? {};
      const own = freeName(name, all);
      const value = { name: own, form, place: {}, thickness: 0.004, friction: 0.5, group: 'solid' };
      return {
        label: `${own} met by bodies`,
        patch: [
          Object.keys(all).length > 0
            ? { op: 'add', path: `/colliders/${freeKey(own, all)}`, value }
            : { op: 'add', path: '/colliders', value: { [freeKey(own, all)]: value } },
        ],
      };
    });
  return (
    <>
      <Note>
        {skins + capsules.length === 0
          ? 'Bodies pass through it.'
          : `Bodies collide with ${[skins > 0 && (skins > 1 ? `its skin, ${skins} colliders` : 'its skin'), capsules.length > 0 && count(capsules.length, 'stand-in')].filter(Boolean).join(' and ')}.`}
      </Note>
      <Actions>
        {look.parts.length > 1 ? (
          look.parts.map((p) => (
            <Button
              key={p.name}
              hint={`${count(p.triangles, 'triangle')}, as they move`}
              onClick={() => void add({ figure: { figure: id, parts: [p.name] } }, `${of} ${p.name}`)}
            >
              Collide with {p.name}
            </Button>
          ))
        ) : (
          <Button
            hint={`${count(look.triangles.length / 3, 'triangle')}, as they move`}
            onClick={() => void add({ figure: { figure: id } }, of)}
          >
            Collide with its skin
          </Button>
        )}
        {look.joints.length > 1 && capsules.length === 0 && (
          <Button hint="A capsule for each joint that has skin of its own, a flat box where that is flat" onClick={() => void fit(id, of)}>
            Fit capsules
          </Button>
        )}
        {look.joints.length > 1 && (
          <Choice
            label={`Fit one joint of ${of}`}
            value=""
            placeholder="Fit one joint…"
            options={look.joints.map((j) => ({ value: j.name, label: j.name }))}
            onChoose={(j) => void fit(id, of, [j])}
          />
        )}
        <Button
          hint="A cloth of its points, which follows it softly as it moves"
          onClick={() => void addCut(id, figure.name, look.parts.length > 1 ? look.parts.map((p) => p.name) : [])}
        >
          Cloth of its skin
        </Button>
        {capsules.length > 0 && (
          <Button
            onClick={() =>
              void edit(
                `Capsules of ${of} removed`,
                capsules.map((k) => ({ op: 'remove', path: `/colliders/${k}` })),
              )
            }
          >
            Remove capsules
          </Button>
        )}
      </Actions>
    </>
  );
}

const standsOnJoint = (c: Collider, id: string) => {
  const on = c.place?.on;
  return Boolean(on && 'joint' in on && on.joint.figure === id && ('capsule' in c.form || 'box' in c.form));
};

/** One capsule a joint, in one edit; what that spares is said. */
async function fit(id: string, of: string, joints: string[] = []) {
  try {
    const params = { path: { id: openId(), figure: id }, query: { joints: joints.join('\n') } };
    const found = await told(http.GET('/api/projects/{id}/figures/{figure}/stand-ins', { params }));
    const flat = found.colliders.filter((c) => 'box' in c.form).map((c) => c.name);
    const done = await editBy((scene) => {
      const all: Record<string, Collider> = { ...scene.colliders };
      const added: Record<string, Collider> = {};
      for (const c of found.colliders) {
        const name = freeName(c.name, { ...all, ...added });
        added[freeKey(`${id} ${name}`, { ...all, ...added })] = { ...c, name } as Collider;
      }
      const patch =
        Object.keys(all).length > 0
          ? Object.entries(added).map(([k, value]) => ({ op: 'add' as const, path: `/colliders/${k}`, value }))
          : [{ op: 'add' as const, path: '/colliders', value: added }];
      return { label: `Capsules fitted to ${joints.length > 0 ? joints.join(', ') : of}`, patch };
    });
    if (done) {
      say({
        title: `${count(found.colliders.length, 'form')} stand in for ${of}`,
        detail: `${flat.length > 0 ? `Flat parts have flat boxes: ${flat.slice(0, 6).join(', ')}${flat.length > 6 ? ' and others' : ''}. ` : ''}Moving its skin takes ${found.skin.toFixed(found.skin < 10 ? 1 : 0)} ms of each frame here, before anything meets it; capsules take at most ${found.capsules.toFixed(2)} ms in all. Where its skin is met too, take that collider out. Each can be changed in Contact.`,
        tone: 'note',
      });
    }
  } catch (e) {
    tell(e);
  }
}
