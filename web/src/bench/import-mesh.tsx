/** Bringing in a mesh file: looked at first, and kept at once where nothing is odd about it. */
import { Dialog } from 'radix-ui';
import { create } from 'zustand';
import { bytes, http, told, type MeshLook } from '../api/http';
import { say } from '../state/here';
import { Button } from '../ui/button';
import { FileInput, chooseFile } from '../ui/file-input';
import { Choice } from '../ui/choice-field';
import { Line } from '../ui/section';
import { count, showNumber } from '../ui/sum';
import { addMeshBody, addMeshCollider, asksFor, piecesAs, plantsAs } from './things';

export type Use = 'cloth' | 'mesh' | 'hull' | 'plant' | 'piece';
type Asked = { file: File; use: Use; look: MeshLook; scale: string; up: 'y' | 'z'; busy: boolean };

const useAsked = create<{ asked: Asked | null; use: Use }>(() => ({ asked: null, use: 'cloth' }));
const set = useAsked.setState;

const inputOf = (use: Use) => (use === 'cloth' ? 'mesh-file' : use === 'plant' || use === 'piece' ? `${use}-file` : `collider-${use}`);

/** Asks for a file and brings it in. */
export function chooseMesh(use: Use) {
  set({ use });
  chooseFile(inputOf(use));
}

const query = (a: { file: File; use: Use; scale: string; up: 'y' | 'z' }, clean: boolean) => ({
  params: { query: { name: a.file.name, for: a.use, scale: Number(a.scale), up: a.up, clean } },
  ...bytes(a.file),
});

/** A body of under 2 mm or over 40 m was most likely drawn in another unit. A piece is as large as its body says. */
const odd = (size: number[], use: Use) => use !== 'piece' && (Math.max(...size) > 40 || Math.max(...size) < 0.002);

async function look(file: File, use: Use) {
  const first = { file, use, scale: '1', up: 'y' as const };
  say({ title: `Looking at ${file.name}`, detail: `${(file.size / 1e6).toFixed(1)} MB`, tone: 'note' });
  try {
    const seen = await told(http.POST('/api/meshes/look', query(first, false)));
    say(null);
    const asked = { ...first, look: seen, busy: false };
    if (seen.faults.length === 0 && !odd(seen.size, use)) await keep(asked, false);
    else set({ asked });
  } catch (e) {
    asksFor(e, `${file.name} is not brought in`);
  }
}

async function keep(asked: Asked, clean: boolean) {
  set((s) => ({ asked: s.asked && { ...s.asked, busy: true } }));
  try {
    const mesh = await told(http.POST('/api/meshes', query(asked, clean)));
    set({ asked: null });
    const name = asked.file.name.replace(/\.[^.]+$/, '');
    if (asked.use === 'plant') await plantsAs(name, mesh.blob);
    else if (asked.use === 'piece') await piecesAs(name, mesh.blob);
    else if (asked.use === 'cloth') await addMeshBody(name, mesh.blob, mesh.size);
    else await addMeshCollider(name, mesh.blob, asked.use);
  } catch (e) {
    set((s) => ({ asked: s.asked && { ...s.asked, busy: false } }));
    asksFor(e, `${asked.file.name} is not brought in`);
  }
}

async function change(asked: Asked, to: Partial<Asked>) {
  const next = { ...asked, ...to };
  set({ asked: { ...next, busy: true } });
  try {
    set({ asked: { ...next, look: await told(http.POST('/api/meshes/look', query(next, false))), busy: false } });
  } catch (e) {
    set({ asked });
    asksFor(e, `${asked.file.name} can’t be looked at`);
  }
}

/** The hidden inputs that files are chosen with. */
export function MeshInputs() {
  return (
    <>
      {(['cloth', 'mesh', 'hull', 'plant', 'piece'] as const).map((use) => (
        <MeshInput key={use} id={inputOf(use)} use={use} />
      ))}
    </>
  );
}

function MeshInput({ id, use }: { id: string; use: Use }) {
  return <FileInput id={id} label={`File of a mesh, as ${use}`} read="mesh" onFile={(file) => void look(file, use)} />;
}

const USES: Record<Use, string> = {
  cloth: 'cloth',
  mesh: 'a collider',
  hull: 'the hull of a collider',
  plant: 'a plant',
  piece: 'a loose piece',
};
const UNITS = [
  { value: '1', label: 'metres' },
  { value: '0.01', label: 'centimetres' },
  { value: '0.001', label: 'millimetres' },
  { value: '0.0254', label: 'inches' },
  { value: '0.3048', label: 'feet' },
];

/** What is odd about a file, and what to do with it. */
export function ImportDialog() {
  const asked = useAsked((s) => s.asked);
  if (!asked) return null;
  const { look: seen, file, use, busy } = asked;
  const mends = mendWords(seen);
  const curable = mends.length > 0 && seen.left.length === 0;
  return (
    <Dialog.Root open onOpenChange={(o) => !o && set({ asked: null })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[86vh] w-[min(500px,94vw)] -translate-1/2 overflow-auto rounded-xl bg-raised p-5 shadow-xl"
        >
          <Dialog.Title className="truncate text-[17px] font-semibold">
            {file.name}, as {USES[use]}
          </Dialog.Title>
          <p className="mt-1 text-faded">
            {count(seen.points, 'point')}, {count(seen.triangles, 'triangle')}, {seen.pieces === 1 ? 'one piece' : `${seen.pieces} pieces`};{' '}
            <span className={odd(seen.size, use) ? 'font-semibold text-weld' : ''}>{seen.size.map(showNumber).join(' × ')} m</span>
          </p>
          {odd(seen.size, use) && <p className="mt-2 text-weld">That is an odd size. In which unit was it drawn?</p>}
          <div className="mt-2 -mr-4 -ml-9">
            <Line label="Its unit">
              <Choice label="Its unit" value={asked.scale} options={UNITS} onChoose={(scale) => void change(asked, { scale })} />
            </Line>
            <Line label="Its up axis">
              <Choice
                label="Its up axis"
                value={asked.up}
                options={[
                  { value: 'y', label: 'y' },
                  { value: 'z', label: 'z' },
                ]}
                onChoose={(up) => void change(asked, { up: up as 'y' | 'z' })}
              />
            </Line>
          </div>
          {seen.faults.length > 0 && (
            <div className="mt-3 border-t border-line pt-3">
              <p className="font-semibold">It can’t be {USES[use]} as it is</p>
              <ul className="mt-1 list-disc pl-5">
                {seen.faults.map((f) => (
                  <li key={f}>{f}</li>
                ))}
              </ul>
              {mends.length > 0 && <p className="mt-2">Mending it {mends.join(', ')}.</p>}
              {seen.left.length > 0 && mends.length > 0 && <p className="mt-1 text-madder">Then still: {seen.left.join('; ')}</p>}
            </div>
          )}
          <div className="mt-4 flex justify-end gap-2">
            <Button onClick={() => set({ asked: null })}>Leave it</Button>
            {curable && seen.faults.length > 0 && (
              <Button look="main" disabled={busy} onClick={() => void keep(asked, true)}>
                Mend and bring in
              </Button>
            )}
            {seen.faults.length === 0 && (
              <Button look="main" disabled={busy} onClick={() => void keep(asked, false)}>
                Bring in
              </Button>
            )}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function mendWords({ mends: m }: MeshLook): string[] {
  return [
    m.loose > 0 && `takes out ${count(m.loose, 'loose point')}`,
    m.no_area > 0 && `takes out ${count(m.no_area, 'face')} without area`,
    m.split > 0 && `splits ${count(m.split, 'side')} with a corner inside`,
    m.doubled > 0 && `takes out ${count(m.doubled, 'doubled face')}`,
    m.turned > 0 && `turns ${count(m.turned, 'face')} that ${m.turned === 1 ? 'faces' : 'face'} the other way`,
  ].filter((w) => w !== false);
}
