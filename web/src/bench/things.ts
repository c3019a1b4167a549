/** Bodies, colliders and fields: adding, copying, renaming, hiding and removing them, each in one place. */
import {
  http,
  Problem,
  told,
  type Body,
  type Camera,
  type Collider,
  type Field,
  type Figure,
  type Handle,
  type Node,
  type Op,
  type Scene,
  type Species,
} from '../api/http';
import { say } from '../state/here';
import { beginsAt } from '../state/air';
import { at, kinds } from '../state/pointer';
import { edit, editBy, sayDone, tell } from '../state/project';
import { begunAt, sewnShapes } from '../state/sewn';
import { now, openId } from '../state/queries';
import { nodeMoves, placeOf } from '../state/value';
import { goTo, hiddenIn, see, setView, useView, type Step } from '../state/view';
import { clock } from '../stream/clock';

export type Kind = 'bodies' | 'colliders' | 'fields' | 'handles' | 'figures' | 'cameras';
type Thing = Body | Camera | Collider | Field | Handle | Figure;

/** Where each kind is worked on, and what holds the chosen one. */
const OF: Record<Kind, { step: Step; chosen: 'body' | 'collider' | 'field' | 'handle' | 'figure' | 'camera' }> = {
  bodies: { step: 'Shape', chosen: 'body' },
  colliders: { step: 'Contact', chosen: 'collider' },
  fields: { step: 'Air', chosen: 'field' },
  handles: { step: 'Hold', chosen: 'handle' },
  figures: { step: 'Shape', chosen: 'figure' },
  cameras: { step: 'Hand over', chosen: 'camera' },
};

export const thingsOf = (scene: Scene | undefined, kind: Kind) => (scene?.[kind] ?? {}) as Record<string, Thing>;

/** A key that is still free, from a name. */
export function freeKey(name: string, taken: object): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 32) || 'thing';
  if (!(base in taken)) return base;
  let n = 2;
  while (`${base}-${n}` in taken) n += 1;
  return `${base}-${n}`;
}

/** A name that no other has, for a person to tell them apart. */
export function freeName(name: string, taken: Record<string, { name: string }>): string {
  const names = new Set(Object.values(taken).map((t) => t.name));
  if (!names.has(name)) return name;
  const base = name.replace(/ \d+$/, '');
  let n = 2;
  while (names.has(`${base} ${n}`)) n += 1;
  return `${base} ${n}`;
}

const under = (kind: Kind, all: object, id: string, value: unknown): Op[] =>
  // A scene that never had one has no place for them yet.
  Object.keys(all).length === 0 && kind !== 'bodies'
    ? [{ op: 'add', path: `/${kind}`, value: { [id]: value } }]
    : [{ op: 'add', path: `/${kind}/${id}`, value }];

function choose(kind: Kind, id: string | null) {
  const chosen = { [OF[kind].chosen]: id };
  setView(kind === 'bodies' ? { ...chosen, points: [], grip: null } : chosen);
}

async function add(kind: Kind, wanted: string, make: (name: string, scene: Scene) => object) {
  let id = '';
  const done = await editBy((scene) => {
    const all = thingsOf(scene, kind);
    const name = freeName(wanted, all);
    id = freeKey(name, all);
    return { label: `${name} added`, patch: under(kind, all, id, make(name, scene)) };
  });
  if (!done) return;
  choose(kind, id);
  goTo(OF[kind].step);
}

/** Adds a body, beside what stands there already: two in one place would go through each other. */
const addBody = (wanted: string, shape: object, size: [number, number], y: number) =>
  add('bodies', wanted, (name) => ({ name, kind: { cloth: { shape } }, place: { position: [beside(size), y, 0], turn: [0, 0, 0] } }));

/** Adds a cloth that is cut from the skin of a figure, and follows it. It passes through what stands in for that skin, for it
 * begins within it. */
export async function addCut(figure: string, of: string, parts: string[]) {
  const group = `${of} skin`.slice(0, 40);
  let id = '';
  const done = await editBy((scene) => {
    const name = freeName(`${of} skin`, scene.bodies);
    id = freeKey(name, scene.bodies);
    const own = Object.values(scene.colliders ?? {}).filter(
      (c) => c.place?.on && 'joint' in c.place.on && c.place.on.joint.figure === figure,
    );
    const groups = [...new Set(own.map((c) => c.group ?? 'solid'))].filter((g) => g !== 'solid');
    const apart = (scene.apart ?? []) as [string, string][];
    const more = groups.filter((g) => !apart.some((p) => p.includes(g) && p.includes(group))).map((g) => [group, g]);
    const value = {
      name,
      kind: { cloth: { shape: { figure: { figure, ...(parts.length > 0 ? { parts } : {}) } } } },
      follow: 400,
      ...(groups.length > 0 ? { touch: { group } } : {}),
    };
    const patch: Op[] = [{ op: 'add', path: `/bodies/${id}`, value }];
    if (more.length > 0) patch.push({ op: 'add', path: '/apart', value: [...apart, ...more] });
    return { label: `${name} added`, patch };
  });
  if (!done) return;
  choose('bodies', id);
  goTo('Shape');
}

/** Kinds of bodies that words of their own tell better. */
export const KIND_NAMES: Record<string, string> = { drift: 'Loose pieces' };

/** Adds a body of a kind that needs no shape first, as the schema says that it begins; it touches itself and others, and falls on what there is. */
export const addKind = (kind: string) => {
  const begins = kinds(now.schema(), 'Kind').find((k) => k.kind === kind)?.begins as { size?: number[] } | undefined;
  const [, high = 1] = begins?.size ?? [];
  return add('bodies', KIND_NAMES[kind] ?? capital(kind), (name) => ({
    name,
    kind: { [kind]: begins },
    place: { position: [0, above(high), 0], turn: [0, 0, 0] },
    // Strands are many: that they meet each other is asked for.
    touch: { itself: kind !== 'strands', others: true, group: 'cloth' },
  }));
};

/** Adds plants of a species: a patch of them on the ground, or one alone where it is large. */
export const addPlants = (wanted: string, species: Species) => {
  const begins = kinds(now.schema(), 'Kind').find((k) => k.kind === 'plants')?.begins as object | undefined;
  const one = species.stem.height > 1.2 && (species.branches?.length ?? 0) > 1;
  return add('bodies', wanted, (name) => ({
    name,
    kind: { plants: { ...begins, species, ...(one ? { count: 1, size: [0, 0] } : {}) } },
    place: { position: [0, 0, 0], turn: [0, 0, 0] },
    // That they meet each other is asked for.
    touch: { itself: false, others: true, group: 'plants' },
  }));
};

/** Adds a plant as a mesh, or makes the chosen plants so that are asked for. */
export async function plantsAs(wanted: string, blob: string) {
  const id = plantsAsked;
  plantsAsked = null;
  const body = id === null ? undefined : now.scene()?.bodies[id];
  const mesh = { from: { blob } };
  if (body && 'plants' in body.kind) {
    const path = `/bodies/${id}/kind/plants`;
    const was = body.kind.plants;
    await edit(`${body.name} as ${wanted}`, [
      ...(was.species ? [{ op: 'remove' as const, path: `${path}/species` }] : []),
      was.mesh ? { op: 'replace', path: `${path}/mesh/from`, value: mesh.from } : { op: 'add', path: `${path}/mesh`, value: mesh },
    ]);
    return;
  }
  const begins = kinds(now.schema(), 'Kind').find((k) => k.kind === 'plants')?.begins as { species?: object } | undefined;
  const { species: _, ...rest } = begins ?? {};
  await add('bodies', capital(wanted), (name) => ({
    name,
    kind: { plants: { ...rest, mesh, count: 1, size: [0, 0], variation: 0 } },
    place: { position: [0, 0, 0], turn: [0, 0, 0] },
    touch: { itself: false, others: true, group: 'plants' },
  }));
}
/** The plants that the next mesh is for; a body of its own where it is for none. */
let plantsAsked: string | null = null;
export const askPlantsFor = (id: string | null) => (plantsAsked = id);

/** Makes the pieces that are asked for seen as a mesh. */
export async function piecesAs(wanted: string, blob: string) {
  const id = piecesAsked;
  piecesAsked = null;
  const body = id === null ? undefined : now.scene()?.bodies[id];
  if (body && 'drift' in body.kind)
    await edit(`${body.name} seen as ${wanted}`, [{ op: 'add', path: `/bodies/${id}/kind/drift/mesh`, value: { blob } }]);
}
/** The pieces that the next mesh is for. */
let piecesAsked: string | null = null;
export const askPiecesFor = (id: string) => (piecesAsked = id);

/** How high the middle of a thing of some height stands clear of all bodies. */
function above(high: number): number {
  let top = 1.3;
  for (const key of Object.keys(now.scene()?.bodies ?? {})) {
    const placed = now.shape(key)?.placed ?? new Float32Array();
    for (let k = 1; k < placed.length; k += 3) top = Math.max(top, placed[k]!);
  }
  return Number((top + high / 2 + 0.05).toFixed(2));
}

/** The middle of all bodies as they start; a little above the ground where there are none. */
export function middle(): [number, number, number] {
  const [low, high] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (const key of Object.keys(now.scene()?.bodies ?? {})) {
    const placed = now.shape(key)?.placed ?? new Float32Array();
    for (let k = 0; k < placed.length; k += 1) {
      low[k % 3] = Math.min(low[k % 3]!, placed[k]!);
      high[k % 3] = Math.max(high[k % 3]!, placed[k]!);
    }
  }
  return low[0]! > high[0]! ? [0, 1, 0] : (low.map((c, k) => Number(((c + high[k]!) / 2).toFixed(2))) as [number, number, number]);
}

/** Where along x a thing of some width and depth stands free of all bodies, the middle where that is free. */
function beside([width, depth]: [number, number]): number {
  let right = -Infinity;
  let free = true;
  for (const key of Object.keys(now.scene()?.bodies ?? {})) {
    const placed = now.shape(key)?.placed;
    if (!placed) continue;
    const [low, high] = [
      [Infinity, Infinity],
      [-Infinity, -Infinity],
    ] as [number[], number[]];
    for (let k = 0; k < placed.length; k += 3) {
      for (const [axis, c] of [placed[k]!, placed[k + 2]!].entries()) {
        low[axis] = Math.min(low[axis]!, c);
        high[axis] = Math.max(high[axis]!, c);
      }
    }
    right = Math.max(right, high[0]!);
    if (low[0]! < width / 2 && high[0]! > -width / 2 && low[1]! < depth / 2 && high[1]! > -depth / 2) free = false;
  }
  return free ? 0 : Number((right + width / 2 + Math.max(0.1, 0.1 * width)).toFixed(2));
}

/** Shapes that a word of their own tells better than their kind. */
export const SHAPE_NAMES: Record<string, string> = {
  cushion: 'Cushion',
  discs: 'Disc pair',
  gores: 'Gored ball',
  bolster: 'Bolster',
  star: 'Star',
  annuli: 'Ring cushion',
  panels: 'Outline',
};

/** Adds a body of a kind of shape, as the schema says that it begins, some way above the ground. */
export const addShape = (kind: string) => {
  const sewn = sewnShapes(now.schema()).find((s) => s.kind === kind);
  if (sewn) {
    return add('bodies', SHAPE_NAMES[kind] ?? capital(kind), (name, scene) => ({
      name,
      kind: { cloth: begunAt(sewn.cloth, scene.frames.first) },
      place: { position: [beside([0.8, 0.8]), above(0.8), 0], turn: [0, 0, 0] },
      touch: { itself: true, others: true, group: 'cloth' },
    }));
  }
  const begins = kinds(now.schema(), 'Shape').find((k) => k.kind === kind)?.begins ?? {};
  const { width = 1, depth = 1, radius = 0.5, tube = 0 } = begins as Record<string, number>;
  const wide = kind === 'sheet' ? [width, depth] : [2 * (radius + tube), 2 * (radius + tube)];
  return addBody(capital(kind), { [kind]: begins }, wide as [number, number], 1.5);
};
export const addSheet = () => addShape('sheet');

/** Adds a mesh that is kept as a body. */
export const addMeshBody = (name: string, blob: string, size: number[]) =>
  addBody(capital(name), { mesh: { from: { blob } } }, [size[0]!, size[2]!], 0);

export const formOf = (c: Collider) => Object.keys(c.form)[0]!;

const collider = (wanted: string, form: object) =>
  add('colliders', wanted, (name) => ({ name, form, place: { position: [0, 'plane' in form ? 0 : 0.5, 0], turn: [0, 0, 0] } }));
/** Adds a collider of a form, as the schema says that it begins. */
export const addCollider = (form: string) =>
  collider(capital(form), { [form]: kinds(now.schema(), 'Form').find((k) => k.kind === form)?.begins });
export const addMeshCollider = (name: string, blob: string, kind: 'hull' | 'mesh') =>
  collider(capital(name), { [kind]: { from: { blob } } });

/** Adds a handle over the middle of what there is. */
export const addHandle = () => add('handles', 'Handle', (name) => ({ name, place: { position: [0, above(0), 0], turn: [0, 0, 0] } }));
/** Keeps where one looks from, as a camera of the scene; one stays in the step that is open. */
export async function addCamera({ position, turn, angle }: { position: number[]; turn: number[]; angle: number }) {
  let made = '';
  const done = await editBy((scene) => {
    const all = thingsOf(scene, 'cameras');
    made = freeName('View', all);
    return { label: `${made} kept`, patch: under('cameras', all, freeKey(made, all), { name: made, place: { position, turn }, angle }) };
  });
  if (done) sayDone(`${made} is kept`, 'It stands under Views at the lower edge, and among the cameras of Hand over.');
}
/** Adds cameras that a file has, each under a name of its own. */
export async function addCameras(found: Camera[]) {
  const done = await editBy((scene) => {
    const all: Record<string, Camera> = { ...scene.cameras };
    const patch: Parameters<typeof edit>[1] = Object.keys(all).length === 0 ? [{ op: 'add', path: '/cameras', value: {} }] : [];
    for (const camera of found) {
      const name = freeName(camera.name, all);
      const key = freeKey(name, all);
      all[key] = { ...camera, name };
      patch.push({ op: 'add', path: `/cameras/${key}`, value: all[key] });
    }
    return { label: found.length === 1 ? `${found[0]!.name} brought in` : `${found.length} cameras brought in`, patch };
  });
  if (done)
    sayDone(
      found.length === 1 ? 'A camera is brought in' : `${found.length} cameras are brought in`,
      'Look through it, or make a proof from it.',
    );
}
/** Adds an animated mesh that is kept; its clip begins where the scene does. */
export const addFigure = (name: string, blob: string) =>
  add('figures', capital(name), (own, scene) => ({
    name: own,
    from: { blob },
    place: { position: [0, 0, 0], turn: [0, 0, 0] },
    begins: scene.frames.first,
  }));

export const fieldOf = (f: Field) => Object.keys(f.act)[0]!;
/** Adds a field of a kind, as the schema says that it begins. */
export const addField = (kind: string) => {
  const begins = (kinds(now.schema(), 'Act').find((k) => k.kind === kind)?.begins ?? {}) as Record<string, unknown>;
  const scene = now.scene();
  const made = scene && beginsAt(scene, now.schema(), kind, begins);
  if (!made)
    return say({
      title: 'There is no surface yet',
      detail: 'A skin pushes with the surface of a collider or a figure: add one first.',
      tone: 'note',
      cure: { label: 'To Contact', act: () => goTo('Contact') },
    });
  return add('fields', FIELD_NAMES[kind] ?? capital(kind), (name) => ({ name, ...made }));
};
export const FIELD_NAMES: Record<string, string> = { column: 'Column', skin: 'Skin push' };

/** How far from itself a copy of a body or a collider stands: beside it. */
export function stepOf(kind: Kind, id: string): number[] {
  if (kind !== 'bodies') return [0.5, 0, 0];
  const placed = now.shape(id)?.placed ?? new Float32Array();
  let [low, high] = [Infinity, -Infinity];
  for (let k = 0; k < placed.length; k += 3) [low, high] = [Math.min(low, placed[k]!), Math.max(high, placed[k]!)];
  return [high > low ? Number(((high - low) * 1.1).toFixed(3)) : 1, 0, 0];
}

/** Copies a body or a collider so many times, each a step from the one before, in one edit. */
export function copyInRow(kind: 'bodies' | 'colliders', id: string, copies: number, step: number[]) {
  return editBy((scene) => {
    const all = { ...thingsOf(scene, kind) };
    const thing = all[id] as Body | Collider | undefined;
    if (!thing) return null;
    const { position, turn } = placeOf(thing.place);
    const patch: Op[] = [];
    for (let k = 1; k <= copies; k++) {
      const name = freeName(thing.name, all);
      const key = freeKey(name, all);
      const at = position.map((c, i) => Number((c + k * step[i]!).toFixed(4)));
      const value = { ...structuredClone(thing), name, place: { ...(thing.place?.on ? { on: thing.place.on } : {}), position: at, turn } };
      all[key] = value as Thing;
      patch.push({ op: 'add', path: `/${kind}/${key}`, value });
    }
    return { label: `${thing.name} ${copies} times in a row`, patch };
  });
}

/** Copies a thing: a body stands beside the first, what is nowhere stays nowhere. */
export async function copyThing(kind: Kind, id: string) {
  const thing = thingsOf(now.scene(), kind)[id];
  if (!thing) return;
  const of = structuredClone(thing) as Thing & { place?: Node };
  if (kind === 'bodies') {
    const { position, turn } = placeOf(of.place);
    const [x, y, z] = position;
    of.place = { turn, position: [Number((x! + stepOf(kind, id)[0]!).toFixed(3)), y!, z!] } as Node;
  } else if (kind !== 'fields' && !nodeMoves(of.place)) {
    const { position, turn } = placeOf(of.place);
    of.place = { turn, position: [position[0]! + 0.5, position[1]!, position[2]!] } as Node;
  }
  await add(kind, thing.name, (name) => ({ ...of, name }));
}

/** Removes what stands at a path and says so, with the way back. Who else uses it is named first, and asked about. */
export async function removeAt(path: string, name: string, label: string, then: () => void) {
  try {
    const asked = { path, frame: clock.frame };
    const { patch, lets_go } = await told(http.POST('/api/projects/{id}/removal', { params: { path: { id: openId() } }, body: asked }));
    const act = async () => {
      if (!(await edit(label, patch as Op[]))) return;
      then();
      sayDone(`${name} is removed`, 'Undo brings it back.');
    };
    if (lets_go.length === 0) return await act();
    const some = lets_go.slice(0, 5).join('; ');
    const more = lets_go.length > 5 ? `; and ${lets_go.length - 5} more of that kind` : '';
    say({
      title: `${name} is used`,
      detail: `Without it: ${some}${more}.`,
      tone: 'note',
      cure: { label: 'Let go and remove', act: () => void act() },
      of: now.project()?.revision,
    });
  } catch (e) {
    tell(e);
  }
}

export async function removeThing(kind: Kind, id: string) {
  const thing = thingsOf(now.scene(), kind)[id];
  if (!thing) return;
  await removeAt(
    `/${kind}/${id}`,
    thing.name,
    `${thing.name} removed`,
    () => useView.getState()[OF[kind].chosen] === id && choose(kind, null),
  );
}

export async function removeGrip(body: string, id: string) {
  const path = `/bodies/${body}/grips/${id}`;
  const grip = at(now.scene(), path) as { name: string } | undefined;
  if (grip) await removeAt(path, grip.name, `${grip.name} let go`, () => setView({ grip: null }));
}

export async function removeFloor() {
  if (!(await edit('Floor removed', [{ op: 'remove', path: '/floor' }]))) return;
  setView({ collider: null });
  sayDone('The floor is removed', 'Undo brings it back.');
}

/** Removes what is chosen in the step that is open; says where nothing is. */
export async function removeChosen() {
  const { step, body, grip, field, handle, figure, collider: c } = useView.getState();
  const scene = now.scene();
  const of = theBody();
  if (step === 'Hold' && grip && of) return removeGrip(of, grip);
  if (step === 'Hold' && handle && scene?.handles?.[handle]) return removeThing('handles', handle);
  if (step === 'Shape' && figure && scene?.figures?.[figure]) return removeThing('figures', figure);
  if (step === 'Air' && field && scene?.fields?.[field]) return removeThing('fields', field);
  if (step === 'Contact' && c === FLOOR && scene?.floor) return removeFloor();
  if (step === 'Contact' && c && scene?.colliders?.[c]) return removeThing('colliders', c);
  // In Shape the one whose row is open is the chosen one, also where nobody has pressed it yet.
  if (step === 'Shape' && of) return removeThing('bodies', of);
  if (step !== 'Air' && step !== 'Contact' && step !== 'Hold' && body && scene?.bodies[body]) return removeThing('bodies', body);
  say({
    title: 'Nothing is chosen',
    detail: `Choose ${step === 'Hold' ? 'a grip' : step === 'Air' ? 'a field' : step === 'Contact' ? 'a collider' : 'a body'} first, on the bench or in the view.`,
    tone: 'note',
  });
}

/** The floor's place among the colliders of the bench. */
export const FLOOR = ' floor';

/** Renames the group of a body or collider. Whoever was set apart from the old name is from the new one; members that keep
 * the old name keep theirs. */
export function renameGroup(path: string, to: string) {
  return editBy((scene) => {
    const from = at(scene, path) as string | undefined;
    const patch: Op[] = [{ op: from === undefined ? 'add' : 'replace', path, value: to }];
    const others = [
      ...Object.entries(scene.bodies).map(([k, b]) => [`/bodies/${k}/touch/group`, b.touch?.group ?? 'cloth']),
      ...Object.entries(scene.colliders ?? {}).map(([k, c]) => [`/colliders/${k}/group`, c.group ?? 'solid']),
    ];
    const left = others.some(([p, g]) => p !== path && g === from);
    const apart = (scene.apart ?? []) as [string, string][];
    const moved = apart.filter((p) => p.includes(from ?? '')).map((p) => p.map((g) => (g === from ? to : g)) as [string, string]);
    const next = [...(left ? apart : apart.filter((p) => !p.includes(from ?? ''))), ...moved];
    const once = next.filter(([a, b], k) => next.findIndex(([p, q]) => (p === a && q === b) || (p === b && q === a)) === k);
    if (moved.length > 0) patch.push({ op: 'add', path: '/apart', value: once });
    return { label: `Group ${from ?? ''} renamed`, patch };
  });
}

/** Sets a body or a collider down on what lies below it. */
export async function setDown(kind: 'bodies' | 'colliders', id: string) {
  const thing = thingsOf(now.scene(), kind)[id];
  if (!thing) return;
  try {
    const body = kind === 'bodies' ? { body: id } : { collider: id };
    const { position } = await told(http.POST('/api/projects/{id}/set-down', { params: { path: { id: openId() } }, body }));
    await placeThing(kind, id, thing.name, position, 'set down');
  } catch (e) {
    tell(e);
  }
}

/** Puts a thing where its arms left it. */
export const placeThing = (kind: 'bodies' | 'colliders', id: string, name: string, position: number[], word = 'placed', turn?: number[]) =>
  editBy((scene) => {
    const was = at(scene, `/${kind}/${id}/place`) as Node | undefined;
    return {
      label: `${name} ${word}`,
      patch: [{ op: 'add', path: `/${kind}/${id}/place`, value: { position, turn: turn ?? was?.turn ?? [0, 0, 0] } }],
    };
  });

/** Hides or shows things in the view; how they move is the same. */
export function hide(ids: string[], hidden: boolean) {
  const rest = hiddenIn(openId()).filter((h) => !ids.includes(h));
  see(openId(), { hidden: hidden ? [...rest, ...ids] : rest });
}

/** Shows one alone, or all again where it was alone. */
export function showAlone(id: string) {
  const scene = now.scene();
  const others = [...Object.keys(scene?.bodies ?? {}), ...Object.keys(scene?.colliders ?? {})].filter((k) => k !== id);
  const hidden = hiddenIn(openId());
  const alone = others.length > 0 && others.every((o) => hidden.includes(o)) && !hidden.includes(id);
  see(openId(), { hidden: alone ? [] : others });
}

/** The chosen body, or the first. */
export function theBody(): string | null {
  const [chosen, scene] = [useView.getState().body, now.scene()];
  if (!scene) return null;
  return chosen && scene.bodies[chosen] ? chosen : (Object.keys(scene.bodies)[0] ?? null);
}

export const capital = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

export function asksFor(e: unknown, title: string) {
  say({
    title,
    detail: e instanceof Problem && e.status !== 0 ? e.message : 'It did not come through. Nothing was kept; try again.',
    tone: 'fault',
  });
}
