/** Cameras: views that are kept with the scene, stand on what moves, and are keyed. */
import { bytes, http, told, type Camera } from '../api/http';
import { openId, useScene } from '../state/queries';
import { addCameras, asksFor } from './things';
import { nodeMoves } from '../state/value';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { FileInput, chooseFile } from '../ui/file-input';
import { NumberField } from '../ui/number-field';
import { Actions, Row, Section } from '../ui/section';
import { TextField } from '../ui/text-field';
import { keepView, lookThrough, setToView } from '../viewport/kept-views';
import { PlaceRows } from './place';
import { ThingTools } from './thing-tools';

export function Cameras() {
  const cameras = useScene((s) => s.cameras) ?? {};
  const open = useView((v) => v.camera);
  return (
    <Section
      title="Cameras"
      action={
        <span className="flex gap-2">
          <FileInput id="camera-file" label="File of cameras" read="cameras" onFile={(file) => void bringIn(file)} />
          <Button look="quiet" hint="Cameras of a glTF file, with how they move in it" onClick={() => chooseFile('camera-file')}>
            From a file…
          </Button>
          <Button look="quiet" hint="As a camera of the scene: the first is what a project opens with" onClick={() => void keepView()}>
            Keep this view
          </Button>
        </span>
      }
    >
      {Object.keys(cameras).length === 0 && <p className="px-4 pb-1 text-faded">No view is kept yet.</p>}
      {Object.entries(cameras).map(([id, c]) => (
        <Row
          key={id}
          name={c.name}
          note={c.place?.on ? 'rides' : nodeMoves(c.place) ? 'moves' : 'still'}
          mark={<Sign />}
          open={id === open}
          onOpen={() => setView({ camera: id === open ? null : id })}
          tools={<ThingTools kind="cameras" id={id} name={c.name} />}
        >
          <Card id={id} camera={c} />
        </Row>
      ))}
    </Section>
  );
}

/** Cameras of a file become some of the scene's, in one edit. */
async function bringIn(file: File) {
  try {
    const found = await told(
      http.POST('/api/projects/{id}/cameras/read', { params: { path: { id: openId() }, query: { name: file.name } }, ...bytes(file) }),
    );
    await addCameras(found);
  } catch (e) {
    asksFor(e, `No camera of ${file.name} is brought in`);
  }
}

function Card({ id, camera }: { id: string; camera: Camera }) {
  const names =
    useScene((s) =>
      Object.entries(s.cameras ?? {})
        .filter(([k]) => k !== id)
        .map(([, c]) => c.name),
    ) ?? [];
  const base = `/cameras/${id}`;
  return (
    <>
      <TextField label="Name" path={`${base}/name`} taken={names} />
      <NumberField path={`${base}/angle`} of={camera.name} />
      <PlaceRows base={base} of={camera.name} />
      <Actions>
        <Button onClick={() => lookThrough(id)}>Look through it</Button>
        <Button hint="Puts it where one looks from now" onClick={() => void setToView(id, camera.name)}>
          Set to this view
        </Button>
      </Actions>
    </>
  );
}

/** A window with a thread across. */
const Sign = () => (
  <svg width="16" height="16" aria-hidden>
    <path d="M2.500 4h11v8h-11zM2.500 12l11-8" fill="none" stroke="var(--ink)" strokeWidth="1.400" strokeLinejoin="round" />
  </svg>
);
