/** The open project, and every way to change it. */
import { WebSocket as Reconnecting } from 'partysocket';
import { http, Problem, told, type Notice, type Op, type Project, type Run, type Scene, type Wish } from '../api/http';
import { clock } from '../stream/clock';
import { shownIn, showNumber } from '../ui/sum';
import { rechoose, unchoose } from './choice';
import { say, setHere, useHere } from './here';
import { leaving } from './leaving';
import { at, facts } from './pointer';
import { asks, client, isGoing, now, openId } from './queries';
import { see, setView, useView } from './view';

/** Says what went wrong; `of` a revision of the scene where the next edit mends it. */
export function tell(error: unknown, of?: number) {
  if (error instanceof DOMException && error.name === 'AbortError') return;
  if (error instanceof Problem) say({ title: error.title, detail: error.message, tone: 'fault', of });
  else
    say({ title: 'Something failed', detail: 'It was not done. Try again, and reload the page if it fails once more.', tone: 'fault', of });
}

let unfollow: (() => void) | undefined;

/** Opens a project and follows it live. Rejects with the problem where there is none. */
export async function show(id: number): Promise<void> {
  const project = await client.fetchQuery({ ...asks.project(id), staleTime: 0 });
  leave();
  setHere({ project: id, message: null, faults: {} });
  setView({
    body: null,
    field: null,
    collider: null,
    handle: null,
    figure: null,
    camera: null,
    grip: null,
    map: null,
    layer: null,
    hatch: null,
    points: [],
    tool: 'look',
    keyAsDragged: false,
    step: useView.getState().seen[id]?.step ?? 'Shape',
  });
  take(project);
  const seen = useView.getState().seen[id];
  const opens = Object.values(project.scene.cameras ?? {})[0]?.opens;
  clock.go(seen?.frame ?? opens ?? clock.first);
  unfollow = follow(id);
  // What is there to be looked at is computed where nobody has yet.
  if (!seen && opens != null && project.revision === 0) void runFirst(id);
}

/** The first run of a project that comes with a frame worth seeing begins by itself, and says so. */
async function runFirst(id: number) {
  const lanes = await client.fetchQuery(asks.lanes(id)).catch(() => []);
  if (openId() !== id || lanes.length === 0 || lanes.some((l) => l.counts.true + l.counts.stale > 0)) return;
  await run();
  // And the takes that came with it, one after the other behind it.
  const takes = await told(http.GET('/api/projects/{id}/takes', { params: { path: { id } } })).catch(() => []);
  for (const take of takes.toReversed())
    await http.POST('/api/projects/{id}/takes/{take}/run', { params: { path: { id, take: take.id } } });
  say({
    title: 'It is being computed',
    detail: 'Nobody had run this scene yet, so its first run began by itself. Cancel it in the loom.',
    tone: 'note',
  });
  // Until it is done, or something else is said.
  const said = useHere.getState().message;
  const off = client.getQueryCache().subscribe(() => {
    const over = openId() !== id || useHere.getState().message !== said;
    if (!over && (now.runs().length === 0 || now.runs().some(isGoing))) return;
    off();
    if (!over) say(null);
  });
}

/** Leaves the open project: nothing of it is heard or said any more. */
export function leave() {
  for (const l of leaving) l();
  unfollow?.();
  unfollow = undefined;
  clock.stop();
  setHere({ project: 0, message: null, faults: {} });
}

/** Hears what changes in a project, in this and other windows; connects anew when cut off, less and less often. */
function follow(id: number): () => void {
  const socket = new Reconnecting(`ws://${location.host}/api/projects/${id}/events`, undefined, {
    minReconnectionDelay: 300,
    maxReconnectionDelay: 5000,
    reconnectionDelayGrowFactor: 1.5,
  });
  socket.addEventListener('open', () => {
    setHere({ here: true });
    void refresh();
  });
  socket.addEventListener('close', () => setHere({ here: false }));
  socket.addEventListener('message', (m: MessageEvent) => {
    const n = JSON.parse(m.data) as Notice | { kind: 'all' };
    if (n.kind === 'all') void refresh();
    else if (n.kind === 'scene') {
      if (n.revision > (now.project()?.revision ?? -1)) void refresh();
      // Which of them the scene is like.
      void client.invalidateQueries({ queryKey: ['takes', id] });
    } else if (n.kind === 'run') {
      void refreshRuns();
      // Frames may be a take's; many come at once.
      takenDue ??= setTimeout(() => {
        takenDue = undefined;
        void client.invalidateQueries({ queryKey: ['take', id] });
      }, 2000);
    } else if (n.kind === 'takes') void client.invalidateQueries({ queryKey: ['takes', id] });
  });
  const off = clock.subscribe(() => rememberFrame(id));
  return () => {
    off();
    socket.close();
  };
}

let takenDue: ReturnType<typeof setTimeout> | undefined;
let frameDue: ReturnType<typeof setTimeout> | undefined;
function rememberFrame(id: number) {
  frameDue ??= setTimeout(() => {
    frameDue = undefined;
    if (openId() === id) see(id, { frame: clock.frame });
  }, 700);
}

/** Takes in a project as the server has it. */
function take(project: Project) {
  const before = client.getQueryData<Project>(['project', project.id]);
  if (!before || project.revision >= before.revision) client.setQueryData(['project', project.id], project);
  if (project.id !== openId()) return;
  const { first, last, rate, loop } = (now.project() ?? project).scene.frames;
  clock.setRange(first, last, rate ?? 24);
  clock.setLooped(loop ? { from: loop.from, length: loop.length, blend: loop.blend ?? 0 } : null);
  const message = useHere.getState().message;
  if (message?.of !== undefined && project.revision > message.of) say(null);
  void refreshLanes();
}

let lanesWanted = 0;
export async function refreshLanes() {
  const id = openId();
  if (id === 0) return;
  const mine = ++lanesWanted;
  try {
    const lanes = await told(http.GET('/api/projects/{id}/lanes', { params: { path: { id } } }));
    // A later question makes this answer old.
    if (mine !== lanesWanted || id !== openId()) return;
    const shown = lanes.lanes.map((l) => l.stretches.findLast((s) => s.state !== 'missing')?.last ?? clock.first);
    clock.until = shown.length > 0 ? Math.max(...shown) : clock.first;
    client.setQueryData(['lanes', id], lanes.lanes);
  } catch (e) {
    if (!(e instanceof Problem && (e.status === 0 || e.status === 503 || e.status === 404))) tell(e);
  }
}

/** Said of a run that ended before its time; gone with the next. */
const STOPPED = 'The run stopped';

let lanesDue: ReturnType<typeof setTimeout> | undefined;
async function refreshRuns() {
  const id = openId();
  if (id === 0) return;
  // While a run goes on, notices come thick: lanes are read again now and then, and at its end.
  lanesDue ??= setTimeout(() => {
    lanesDue = undefined;
    void refreshLanes();
  }, 25);
  try {
    const before = now.runs();
    const runs = await told(http.GET('/api/projects/{id}/runs', { params: { path: { id } } }));
    if (id !== openId()) return;
    client.setQueryData(['runs', id], runs);
    const [last, was] = [runs[0], before.find((r) => r.id === runs[0]?.id)];
    if (last?.state === 'failed' && was && was.state !== 'failed') say({ title: STOPPED, detail: last.message, tone: 'fault' });
  } catch {
    // The next notice asks again.
  }
}

export async function refresh() {
  const id = openId();
  if (id === 0) return;
  try {
    take((await told(http.GET('/api/projects/{id}', { params: { path: { id } } }))) as Project);
    await refreshRuns();
    const away = useHere.getState().message?.title;
    if (away === 'The server is away' || away === 'The database is away') say(null);
  } catch (e) {
    if (e instanceof Problem && e.status === 404)
      say({ title: 'This project was removed', detail: 'It can be brought back on the page of projects for thirty days.', tone: 'note' });
    else tell(e);
  }
}

/** Edits go one after another, each on what the one before left. */
let queue: Promise<unknown> = Promise.resolve();

/** Does something when its turn comes. What fails is told, and holds up nothing that comes after it. */
function queued(work: () => Promise<boolean> | boolean): Promise<boolean> {
  const done = queue.then(work).catch((e) => {
    tell(e);
    return false;
  });
  queue = done;
  return done;
}

/** Makes an edit. If others changed other things meanwhile it is made on theirs; if they changed the
 * same, theirs stands and that is said. */
export function edit(label: string, patch: Op[]): Promise<boolean> {
  return queued(() => tryEdit(label, patch, 3));
}

/** An edit that is worked out when its turn comes, on the scene as it is then. */
export function editBy(make: (scene: Scene) => { label: string; patch: Op[] } | null): Promise<boolean> {
  return queued(() => {
    const scene = now.scene();
    const made = scene && make(scene);
    return made ? tryEdit(made.label, made.patch, 3) : false;
  });
}

async function send(path: 'edit' | 'undo' | 'redo', project: Project, label: string, patch: Op[]): Promise<Project> {
  const [id, revision] = [project.id, project.revision];
  const params = { path: { id } };
  const sent =
    path === 'edit'
      ? http.PATCH('/api/projects/{id}', { params, body: { revision, label, patch } })
      : path === 'undo'
        ? http.POST('/api/projects/{id}/undo', { params, body: { revision } })
        : http.POST('/api/projects/{id}/redo', { params, body: { revision } });
  return (await told(sent as Promise<{ data?: unknown }>)) as Project;
}

/** An edit that the server works out, on the scene as it is when its turn comes. */
export const changeBy = (ask: (project: Project) => Promise<Project>) =>
  queued(async () => {
    const project = now.project();
    if (!project) return false;
    try {
      take(await ask(project));
      changed();
      return true;
    } catch (e) {
      if (e instanceof Problem && e.answer && e.status === 409) {
        take(e.answer as Project);
        say({ title: 'Changed in another window', detail: 'Nothing was brought back. Do it again if you still want it.', tone: 'note' });
      } else tell(e, project.revision);
      return false;
    }
  });

async function tryEdit(label: string, patch: Op[], tries: number): Promise<boolean> {
  const project = now.project();
  if (!project) return false;
  try {
    take(await send('edit', project, label, patch));
    changed();
    return true;
  } catch (e) {
    if (e instanceof Problem && e.status === 409 && e.answer) {
      const theirs = e.answer as Project;
      const clash = patch.filter((o) => JSON.stringify(at(project.scene, o.path)) !== JSON.stringify(at(theirs.scene, o.path)));
      take(theirs);
      if (clash.length === 0 && tries > 0) return tryEdit(label, patch, tries - 1);
      const path = clash[0]?.path ?? '';
      say({
        title: 'Changed in another window',
        detail: `${label} was set to ${spoken(theirs.scene, path)} there meanwhile, so yours was not set. Set it again if you still want it.`,
        tone: 'note',
      });
      return false;
    }
    if (e instanceof Problem && e.faults.length > 0) {
      setHere({ faults: Object.fromEntries(e.faults.map((f) => [f.path, f.message])) });
      // Where a field shows it there is no need to say it twice.
      if (!e.faults.some((f) => document.querySelector(`[data-path="${f.path}"]`))) tell(e, project.revision);
      return false;
    }
    tell(e, project.revision);
    return false;
  }
}

/** A value in the words and units of the page. */
function spoken(scene: Scene, path: string): string {
  const value = at(scene, path);
  if (value === undefined) return 'nothing (it was removed)';
  if (typeof value === 'boolean') return value ? 'on' : 'off';
  if (typeof value === 'string') return `“${value}”`;
  const name = (value as { name?: string } | null)?.name;
  if (typeof value !== 'number') return name ? `“${name}”` : 'something else';
  const { unit } = facts(now.schema(), path);
  const [shown, factor] = shownIn(unit);
  return `${showNumber(value * factor)}${shown === '°' ? '' : ' '}${shown}`.trim();
}

/** After every change: what was wrong may be right again, and who wants it runs again. */
function changed() {
  setHere({ faults: {} });
  if (useHere.getState().keepRunning) void run({ again: true });
}

/** Says what an edit did that has just been made, with the way back: of that edit alone. */
export function sayDone(title: string, detail: string) {
  const of = now.project()?.revision;
  if (of !== undefined) say({ title, detail, tone: 'note', cure: { label: 'Undo', act: () => turn('undo', of) }, of });
}

/** Sets one value, also where an older document does not have it yet. */
export const setValue = (label: string, path: string, value: unknown) =>
  editBy((scene) => ({ label, patch: [{ op: at(scene, path) !== undefined ? 'replace' : 'add', path, value }] }));

/** Undoes or does again; only the step that made a revision, where one is given. */
export function turn(way: 'undo' | 'redo', of?: number) {
  void queued(async () => {
    if (of === undefined && (way === 'undo' ? unchoose() : rechoose())) return false;
    const project = now.project();
    if (!project || !project[way] || (of !== undefined && project.revision !== of)) return false;
    try {
      take(await send(way, project, '', []));
      changed();
    } catch (e) {
      if (e instanceof Problem && e.answer) take(e.answer as Project);
      else tell(e);
      return false;
    }
    return true;
  });
}

/** Asks for frames that are not true: all, or those that are wished for. */
export async function run(wish: Wish = {}) {
  const id = openId();
  if (id === 0) return;
  try {
    if (!wish.again) await queue;
    const body = { bodies: wish.bodies ?? [], again: wish.again ?? false, until: wish.until ?? null };
    const started = await told(http.POST('/api/projects/{id}/runs', { params: { path: { id } }, body }));
    if (useHere.getState().message?.title === STOPPED) say(null);
    client.setQueryData<Run[]>(['runs', id], (all = []) => [started, ...all.filter((r) => r.id !== started.id)]);
    // What else waits is asked for only where it does: its first frames come first.
    setTimeout(() => void refreshRuns(), 600);
  } catch (e) {
    tell(e);
  }
}

export async function cancel() {
  const going = now.runs().filter(isGoing);
  try {
    await Promise.all(going.map((r) => http.POST('/api/runs/{run}/cancel', { params: { path: { run: r.id } } })));
    await refreshRuns();
  } catch (e) {
    tell(e);
  }
}

/** Puts the waiting run before those of other projects. */
export async function putFirst(run: number) {
  try {
    await http.POST('/api/runs/{run}/first', { params: { path: { run } } });
    await refreshRuns();
  } catch (e) {
    tell(e);
  }
}

/** A scene that is empty but for gravity and a floor. */
export const EMPTY = {
  nematon: 1,
  name: 'New project',
  frames: { first: 0, last: 120, rate: 24 },
  bodies: {},
  fields: { gravity: { name: 'Gravity', on: true, act: { gravity: { strength: 9.81 } } } },
  floor: { height: 0, friction: 0.5 },
} as unknown as Scene;
