/** The project that is open: its scene, lanes and runs, and every way to change them. */
import { create } from 'zustand';
import { readLanes } from '../api/frames';
import { Problem, type Preset, type Lane, type Project, type Run, type Summary } from '../api/http';
import { createProject, editProject, listProjects, readProject, readSchema, turnProject, type Op } from '../api/projects';
import { readMatters } from '../api/colliders';
import { cancelRun, listRuns, startRun } from '../api/runs';
import { readShape, type Shape } from '../api/shape';
import { clock } from '../stream/clock';
import { follow } from '../stream/live';
import { at } from './pointer';

export type Message = { title: string; detail: string; tone: 'fault' | 'note' };

type SceneState = {
  projects: Summary[];
  project: Project | null;
  schema: Record<string, unknown> | null;
  /** Matters to start from. */
  matters: Preset[];
  shapes: Record<string, Shape>;
  /** Why a body has no shape. */
  shapeFaults: Record<string, string>;
  lanes: Lane[];
  runs: Run[];
  /** Whether the server answers. */
  here: boolean;
  message: Message | null;
  /** Faults of the last edit, by path; shown at the field. */
  faults: Record<string, string>;
};

export const useScene = create<SceneState>(() => ({
  projects: [],
  project: null,
  schema: null,
  matters: [],
  shapes: {},
  shapeFaults: {},
  lanes: [],
  runs: [],
  here: true,
  message: null,
  faults: {},
}));

const { getState: get, setState: set } = useScene;

export function say(message: Message | null) {
  set({ message });
}

function tell(error: unknown) {
  if (error instanceof Problem) say({ title: error.title, detail: error.message, tone: 'fault' });
  else say({ title: 'Something failed', detail: String(error), tone: 'fault' });
}

/** Opens the project that the address names, or the first. */
export async function open(id?: number) {
  try {
    const [projects, schema, matters] = await Promise.all([listProjects(), readSchema(), readMatters()]);
    set({ projects, schema, matters });
    const wanted = projects.find((p) => p.id === id) ?? projects[0];
    if (wanted) await show(wanted.id);
  } catch (e) {
    tell(e);
    setTimeout(() => open(id), 2000);
  }
}

let unfollow: (() => void) | undefined;

/** Shows a project and follows it live. */
export async function show(id: number) {
  unfollow?.();
  set({ shapes: {}, lanes: [], runs: [], shapeFaults: {}, faults: {} });
  shapeKeys.clear();
  take(await readProject(id));
  history.replaceState(null, '', `?project=${id}`);
  clock.go(clock.first);
  unfollow = follow(
    id,
    (n) => {
      const now = get().project;
      if (n.kind === 'all') void refresh();
      else if (n.kind === 'scene' && now && n.revision > now.revision) void refresh();
      else if (n.kind === 'run') void refreshRuns();
    },
    (here) => set({ here }),
  );
}

/** Starts an empty project. */
export async function begin() {
  try {
    const field = { name: 'Gravity', on: true, act: { gravity: { strength: 9.81 } } };
    const scene = {
      nematon: 1,
      name: 'New project',
      frames: { first: 0, last: 120, rate: 24, substeps: 10 },
      bodies: {},
      fields: { gravity: field },
      floor: { height: 0, friction: 0.5 },
    };
    const made = await createProject(scene);
    set({ projects: await listProjects() });
    await show(made.id);
  } catch (e) {
    tell(e);
  }
}

const shapeKeys = new Map<string, string>();

/** Takes in a project as the server has it. */
function take(project: Project) {
  const before = get().project;
  if (before && before.id === project.id && before.revision > project.revision) return;
  set({ project });
  const { first, last, rate } = project.scene.frames;
  clock.setRange(first, last, rate ?? 24);
  void refreshShapes(project);
  void refreshLanes();
}

async function refreshShapes(project: Project) {
  for (const id of Object.keys(get().shapes)) {
    if (!project.scene.bodies[id]) {
      const { [id]: _, ...shapes } = get().shapes;
      shapeKeys.delete(id);
      set({ shapes });
    }
  }
  for (const [id, body] of Object.entries(project.scene.bodies)) {
    const key = JSON.stringify([body.shape, body.place, body.grips, body.layers]);
    if (shapeKeys.get(id) === key) continue;
    shapeKeys.set(id, key);
    try {
      const shape = await readShape(project.id, id);
      const { [id]: _, ...shapeFaults } = get().shapeFaults;
      if (get().project?.id === project.id) set((s) => ({ shapes: { ...s.shapes, [id]: shape }, shapeFaults }));
    } catch (e) {
      shapeKeys.delete(id);
      if (e instanceof Problem) set((s) => ({ shapeFaults: { ...s.shapeFaults, [id]: e.message } }));
    }
  }
}

let lanesWanted = 0;

export async function refreshLanes() {
  const project = get().project;
  if (!project) return;
  const mine = ++lanesWanted;
  try {
    const { lanes } = await readLanes(project.id);
    // A later question makes this answer old.
    if (mine !== lanesWanted) return;
    const shown = lanes.map((l) => l.stretches.findLast((s) => s.state !== 'missing')?.last ?? clock.first);
    clock.until = shown.length > 0 ? Math.max(...shown) : clock.first;
    set({ lanes });
  } catch (e) {
    if (!(e instanceof Problem && (e.status === 0 || e.status === 503))) tell(e);
  }
}

let lanesDue: ReturnType<typeof setTimeout> | undefined;

async function refreshRuns() {
  const project = get().project;
  if (!project) return;
  // While a run goes on, notices come thick: lanes are read again now and then, and at its end.
  lanesDue ??= setTimeout(() => {
    lanesDue = undefined;
    void refreshLanes();
  }, 25);
  try {
    const runs = await listRuns(project.id);
    const [before, now] = [get().runs[0], runs[0]];
    set({ runs });
    if (now?.state === 'failed' && before?.id === now.id && before.state !== 'failed') {
      say({ title: 'The run stopped', detail: now.message, tone: 'fault' });
    }
  } catch {
    // The next notice asks again.
  }
}

async function refresh() {
  const project = get().project;
  if (!project) return;
  try {
    take(await readProject(project.id));
    await refreshRuns();
    const away = get().message?.title;
    if (away === 'The server is away' || away === 'The database is away') say(null);
  } catch (e) {
    tell(e);
  }
}

/** Edits go one after another, each on what the one before left. */
let queue: Promise<unknown> = Promise.resolve();

/** Makes an edit. If others changed other things meanwhile it is made on theirs; if they changed the
 * same, theirs stands and that is said. */
export function edit(label: string, patch: Op[]): Promise<boolean> {
  const done = queue.then(() => tryEdit(label, patch, 3));
  queue = done;
  return done;
}

async function tryEdit(label: string, patch: Op[], tries: number): Promise<boolean> {
  const now = get().project;
  if (!now) return false;
  try {
    take(await editProject(now.id, now.revision, label, patch));
    set({ faults: {} });
    return true;
  } catch (e) {
    if (e instanceof Problem && e.status === 409 && e.answer) {
      const theirs = e.answer as Project;
      const clash = patch.filter((o) => JSON.stringify(at(now.scene, o.path)) !== JSON.stringify(at(theirs.scene, o.path)));
      take(theirs);
      if (clash.length === 0 && tries > 0) return tryEdit(label, patch, tries - 1);
      const path = clash[0]?.path ?? '';
      const value = JSON.stringify(at(theirs.scene, path));
      say({ title: 'Changed in another window', detail: `${label} was set to ${value} there meanwhile, so yours was not set. Set it again if you still want it.`, tone: 'note' });
      return false;
    }
    if (e instanceof Problem && e.faults.length > 0) {
      set({ faults: Object.fromEntries(e.faults.map((f) => [f.path, f.message])) });
      // Where a field shows it there is no need to say it twice.
      if (!e.faults.some((f) => document.querySelector(`[data-path="${f.path}"]`))) tell(e);
      return false;
    }
    tell(e);
    return false;
  }
}

/** Sets one value, also where an older document does not have it yet. */
export const setValue = (label: string, path: string, value: unknown) => {
  const there = at(useScene.getState().project?.scene, path) !== undefined;
  return edit(label, [{ op: there ? 'replace' : 'add', path, value }]);
};

export function turn(way: 'undo' | 'redo') {
  queue = queue.then(async () => {
    const now = get().project;
    if (!now || !now[way]) return;
    try {
      take(await turnProject(now.id, now.revision, way));
      set({ faults: {} });
    } catch (e) {
      if (e instanceof Problem && e.answer) take(e.answer as Project);
      else tell(e);
    }
  });
}

/** Asks for all frames that are not true. */
export async function run() {
  const project = get().project;
  if (!project) return;
  try {
    await queue;
    const started = await startRun(project.id);
    set((s) => ({ runs: [started, ...s.runs.filter((r) => r.id !== started.id)] }));
  } catch (e) {
    tell(e);
  }
}

export async function cancel() {
  const going = get().runs.find(isGoing);
  if (!going) return;
  try {
    await cancelRun(going.id);
    await refreshRuns();
  } catch (e) {
    tell(e);
  }
}

export const isGoing = (r: Run) => r.state === 'queued' || r.state === 'running';
