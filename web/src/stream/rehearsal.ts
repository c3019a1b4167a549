/** A rehearsal: frames that come while a hand moves something in the view, and what the hand did as keys. Nothing of it is kept until it is
 * asked for. */
import { create } from 'zustand';
import type { Op, RehearsalSaid, RehearsalTold } from '../api/http';
import { say } from '../state/here';
import { leaving } from '../state/leaving';
import { edit, run } from '../state/project';
import { now, openId } from '../state/queries';
import { at } from '../state/pointer';
import { clock } from './clock';
import { trial } from './trial';

export type Numbers = Extract<RehearsalTold, { keys: unknown }>['keys']['numbers'];
/** What is moved: its place or number, whose name, and the body that is seen. */
export type Moves = { place: string; name: string; body: string };

type Rehearsal = {
  state: 'off' | 'starting' | 'on' | 'over';
  of: Moves | null;
  /** Times the shot's own speed. */
  pace: number;
  from: number;
  /** Why it ended by itself; nothing where it came to the last frame. */
  why: string;
  /** What the hand did, once it is over. */
  numbers: Numbers | null;
  within: number;
  turned: number;
};

const OFF: Rehearsal = { state: 'off', of: null, pace: 1, from: 0, why: '', numbers: null, within: 0.001, turned: 0.0175 };
export const useRehearsal = create<Rehearsal>(() => OFF);

let socket: WebSocket | null = null;
let bodies: { body: string; points: number }[] = [];
/** Pictures a second in which what the pace is may be told. */
let toldAt = 0;

const send = (said: RehearsalSaid) => socket?.readyState === WebSocket.OPEN && socket.send(JSON.stringify(said));

/** Begins at the frame on screen, or at the first where that is the last. */
export function rehearse(of: Moves) {
  leave();
  const from = clock.frame >= clock.last ? clock.first : clock.frame;
  clock.stop();
  useRehearsal.setState({ ...OFF, state: 'starting', of, from });
  const own = new WebSocket(`ws://${location.host}/api/projects/${openId()}/rehearse`);
  own.binaryType = 'arraybuffer';
  socket = own;
  own.onopen = () => send({ begin: { body: of.body, from, moves: of.place } });
  own.onmessage = (m: MessageEvent<ArrayBuffer | string>) => {
    if (socket !== own) return;
    if (typeof m.data === 'string') hear(JSON.parse(m.data) as RehearsalTold);
    else show(m.data);
  };
  own.onclose = () => {
    if (socket !== own) return;
    const { state, numbers } = useRehearsal.getState();
    socket = null;
    if (state === 'over' && numbers) return;
    if (state !== 'off')
      say({ title: 'The rehearsal was cut off', detail: 'The server went away. Nothing of the scene was changed.', tone: 'fault' });
    off();
  };
}

function hear(told: RehearsalTold) {
  if ('begun' in told) {
    bodies = told.begun.bodies;
    useRehearsal.setState({ state: 'on' });
  } else if ('ended' in told) {
    useRehearsal.setState({ why: told.ended.why });
    finish();
  } else if ('keys' in told) {
    useRehearsal.setState({ numbers: told.keys.numbers });
  } else {
    say({ title: 'No rehearsal', detail: told.fault, tone: 'fault' });
    socket = null;
    off();
  }
}

function show(bytes: ArrayBuffer) {
  const view = new DataView(bytes);
  const frame = view.getInt32(0, true);
  let from = 8;
  const places = new Map<string, Float32Array>();
  for (const b of bodies) {
    places.set(b.body, new Float32Array(bytes, from, 3 * b.points));
    from += 12 * b.points;
  }
  if (useRehearsal.getState().state !== 'on') return;
  trial.show({ frame, places });
  clock.go(frame);
  if (performance.now() - toldAt > 400) {
    toldAt = performance.now();
    useRehearsal.setState({ pace: view.getFloat32(4, true) });
  }
}

/** Where the hand is: a place in the world, or a number alone. */
export function hand(position: readonly number[], turn: readonly number[]) {
  if (useRehearsal.getState().state === 'on') send({ hand: [...position, ...turn] });
}

/** Whether something is being rehearsed; then where it is let go is no edit. */
export const rehearses = (place: string) => {
  const { state, of } = useRehearsal.getState();
  return state !== 'off' && of?.place === place;
};

/** Ends the moving, and asks what the hand did. */
export function finish() {
  const { within, turned } = useRehearsal.getState();
  useRehearsal.setState({ state: 'over' });
  send({ done: { within, turned } });
}

/** Asks for more or fewer keys. */
export function near(within: number, turned: number) {
  useRehearsal.setState({ within, turned });
  send({ done: { within, turned } });
}

/** Makes what the hand did keys of the scene, and computes it. */
export async function keep() {
  const { numbers, of } = useRehearsal.getState();
  if (!numbers || !of) return leave();
  const scene = now.scene();
  const patch: Op[] = [];
  for (const n of numbers) {
    const still = n.keys.every((k) => k.value === n.keys[0]?.value);
    const was = at(scene, n.path);
    // What the hand left alone stays as it was said.
    if (still && was === n.keys[0]?.value) continue;
    patch.push({ op: was === undefined ? 'add' : 'replace', path: n.path, value: still ? n.keys[0]!.value : { keys: n.keys } });
  }
  // A thing that stood at the origin says nothing of where it is.
  if (patch.length > 0 && of.place.endsWith('/place') && at(scene, of.place) === undefined)
    patch.unshift({ op: 'add', path: of.place, value: { position: [0, 0, 0], turn: [0, 0, 0] } });
  leave();
  if (patch.length === 0) return say({ title: 'Nothing to keep', detail: `${of.name} was not moved.`, tone: 'note' });
  if (await edit(`${of.name} rehearsed`, patch)) await run();
}

leaving.add(() => leave());

/** Leaves it: nothing of the scene has changed. */
export function leave() {
  const own = socket;
  socket = null;
  own?.close();
  off();
}

function off() {
  if (useRehearsal.getState().state === 'off') return;
  useRehearsal.setState(OFF);
  trial.show(null);
}
