/** Making, bringing in and removing bodies. */
import { bringIn } from '../api/meshes';
import { Problem } from '../api/http';
import { edit, say, useScene } from '../store/scene';
import { goTo, setView, useView } from '../store/view';

/** A key that is still free, from a name. */
export function freeKey(name: string, taken: object): string {
  const base = name.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 32) || 'thing';
  if (!(base in taken)) return base;
  let n = 2;
  while (`${base}-${n}` in taken) n += 1;
  return `${base}-${n}`;
}

/** A name that no other has, for a person to tell them apart. */
function freeName(name: string, bodies: Record<string, { name: string }>): string {
  const names = new Set(Object.values(bodies).map((b) => b.name));
  if (!names.has(name)) return name;
  let n = 2;
  while (names.has(`${name} ${n}`)) n += 1;
  return `${name} ${n}`;
}

async function add(wanted: string, shape: unknown, place: unknown) {
  const bodies = useScene.getState().project?.scene.bodies ?? {};
  const name = freeName(wanted, bodies);
  const id = freeKey(name, bodies);
  const done = await edit(`${name} added`, [{ op: 'add', path: `/bodies/${id}`, value: { name, kind: 'cloth', shape, place } }]);
  if (done) {
    setView({ body: id, points: [], grip: null });
    goTo('Shape');
  }
}

export const addSheet = () =>
  add('Sheet', { sheet: { width: 1, depth: 1, columns: 40, rows: 40 } }, { position: [0, 1.5, 0], turn: [0, 0, 0] });

/** Asks for a file and brings it in. */
export function chooseMesh() {
  document.getElementById('mesh-file')?.click();
}

/** Brings in a mesh file as a new body. Nothing is kept of one that fails. */
export async function addMesh(file: File) {
  say({ title: `Bringing in ${file.name}`, detail: `${(file.size / 1e6).toFixed(1)} MB`, tone: 'note' });
  try {
    const mesh = await bringIn(file);
    say(null);
    const name = file.name.replace(/\.[^.]+$/, '');
    await add(name.charAt(0).toUpperCase() + name.slice(1), { mesh: { from: { blob: mesh.blob } } }, { position: [0, 0, 0], turn: [0, 0, 0] });
  } catch (e) {
    const detail = e instanceof Problem && e.status !== 0 ? e.message : 'It did not come through. Nothing was kept; try again.';
    say({ title: e instanceof Problem ? e.title : 'Not brought in', detail, tone: 'fault' });
  }
}

export async function removeBody(id: string) {
  const body = useScene.getState().project?.scene.bodies[id];
  if (body && (await edit(`${body.name} removed`, [{ op: 'remove', path: `/bodies/${id}` }]))) {
    setView({ body: null, points: [], grip: null });
  }
}

/** The chosen body, or the first. */
export function useBody(): string | null {
  const chosen = useView((s) => s.body);
  const project = useScene((s) => s.project);
  if (!project) return null;
  return chosen && project.scene.bodies[chosen] ? chosen : (Object.keys(project.scene.bodies)[0] ?? null);
}

export function theBody(): string | null {
  const [chosen, project] = [useView.getState().body, useScene.getState().project];
  if (!project) return null;
  return chosen && project.scene.bodies[chosen] ? chosen : (Object.keys(project.scene.bodies)[0] ?? null);
}
