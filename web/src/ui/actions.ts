/** Every action by its name, with its key: the list of commands and the keyboard both read this list. */
import { chosenRow, grow, holdChosen, invertChoice, connectedChoice } from '../bench/grips';
import { copiedAir, copyAir, fieldAlone, pasteAir } from '../state/air';
import { combChosen, nextMap, paintShown, scaleBrush, strandsChosen, strengthen } from '../bench/brush';
import { goToKey, goToSnag, keyHere } from '../state/along';
import { chooseMesh } from '../bench/import-mesh';
import { kinds } from '../state/pointer';
import {
  addCollider,
  addField,
  addHandle,
  addKind,
  addShape,
  copyThing,
  removeChosen,
  setDown,
  showAlone,
  theBody,
  type Kind,
} from '../bench/things';
import { newProject, openProject, toProjects } from '../pages/go';
import { choosePoints } from '../state/choice';
import { cancel, run, turn } from '../state/project';
import { client, isGoing, now } from '../state/queries';
import { airSeen, goTo, isBrush, setView, STEPS, useView } from '../state/view';
import { clock } from '../stream/clock';
import { chosenThing, frameChosen } from '../viewport/frame-chosen';
import { keepView, nextView } from '../viewport/kept-views';
import { stage, type From } from '../viewport/stage';
import type { Summary } from '../api/http';

export type Action = {
  name: string;
  /** As shown, and as matched: a key, with `Mod+` for Ctrl or Cmd and `Shift+`. */
  key?: string;
  can?: () => boolean;
  act: () => void;
};

const going = () => now.runs().some(isGoing);
const chosen = (act: (kind: Kind, id: string) => unknown) => () => {
  const thing = chosenThing();
  if (thing) act(thing.kind, thing.id);
};

const look = (from: From, key: string): Action => ({ name: `Look from ${from}`, key, act: () => stage.views.lookFrom(from) });

export const fixed: Action[] = [
  { name: 'Play or stop', key: 'Space', act: () => clock.toggle() },
  { name: 'Next frame', key: 'ArrowRight', act: () => clock.step(1) },
  { name: 'Previous frame', key: 'ArrowLeft', act: () => clock.step(-1) },
  { name: 'First frame', key: 'Home', act: () => clock.halt(clock.first) },
  { name: 'Last frame', key: 'End', act: () => clock.halt(clock.last) },
  { name: 'Curves of what moves', key: 'c', act: () => setView((v) => ({ curves: !v.curves })) },
  { name: 'Loop on or off', act: () => clock.setLoop(!clock.loop) },
  { name: 'Run', key: 'Mod+Enter', can: () => !going(), act: () => void run() },
  { name: 'Run again', can: going, act: () => void run({ again: true }) },
  { name: 'Run up to this frame', can: () => !going(), act: () => void run({ until: clock.frame }) },
  { name: 'Run only the chosen body', can: () => !going() && theBody() !== null, act: () => void run({ bodies: [theBody()!] }) },
  { name: 'Cancel the run', can: going, act: () => void cancel() },
  // In a stroke it gives up the stroke, and nothing else.
  { name: 'Undo', key: 'Mod+z', act: () => stage.painter.cancel() || turn('undo') },
  { name: 'Redo', key: 'Mod+Shift+z', act: () => turn('redo') },
  { name: 'Hold the chosen points', key: 'h', can: () => useView.getState().points.length > 0, act: () => void holdChosen() },
  { name: 'Choose wider', key: 'g', can: () => useView.getState().points.length > 0, act: () => grow(1) },
  { name: 'Choose narrower', key: 'Shift+g', can: () => useView.getState().points.length > 0, act: () => grow(-1) },
  { name: 'Choose the rest', key: 'i', can: () => useView.getState().points.length > 0, act: () => invertChoice() },
  { name: 'Choose the whole piece', can: () => useView.getState().points.length > 0, act: () => connectedChoice() },
  { name: 'Choose along the thread', key: 'r', can: () => useView.getState().points.length > 1, act: () => chosenRow() },
  { name: 'What moves a point?', act: () => (goTo('Air'), setView({ tool: 'pick' })) },
  {
    name: 'The open field alone, or all again',
    can: () => useView.getState().step === 'Air' && useView.getState().field !== null,
    act: () => fieldAlone(),
  },
  { name: 'Copy all air', can: () => Object.keys(now.scene()?.fields ?? {}).length > 0, act: () => copyAir() },
  { name: 'Bring in the air that was copied', can: () => copiedAir() !== null, act: () => void pasteAir() },
  { name: 'Copy what is chosen', key: 'Mod+d', act: chosen((kind, id) => void copyThing(kind, id)) },
  { name: 'Set down what is chosen', act: chosen((kind, id) => (kind === 'bodies' || kind === 'colliders') && void setDown(kind, id)) },
  { name: 'Show alone, or all again', act: chosen((kind, id) => kind !== 'fields' && kind !== 'handles' && showAlone(id)) },
  { name: 'Remove what is chosen', key: 'Delete', act: () => void removeChosen() },
  {
    name: 'Choose no points',
    key: 'Escape',
    act: () =>
      useView.getState().spotFor
        ? setView({ spotFor: null })
        : useView.getState().drawing
          ? setView({ drawing: null })
          : useView.getState().placing
            ? setView({ placing: null })
            : useView.getState().step === 'Air' && useView.getState().why
              ? setView({ why: null, points: [] })
              : isBrush(useView.getState().tool)
                ? setView({ tool: 'look' })
                : choosePoints([]),
  },
  { name: 'Bring into view', key: 'f', act: frameChosen },
  { name: 'Key what is chosen here', key: 'k', act: () => void keyHere() },
  { name: 'Next key', key: '.', act: () => goToKey(1) },
  { name: 'Key before', key: ',', act: () => goToKey(-1) },
  { name: 'Next snag', key: 'n', act: () => goToSnag(1) },
  { name: 'Snag before', key: 'Shift+n', act: () => goToSnag(-1) },
  { name: 'Arms to move by', key: 'Shift+m', act: () => setView({ bodyArms: 'translate', colliderArms: 'translate' }) },
  { name: 'Rings to turn by', key: 'Shift+r', act: () => setView({ bodyArms: 'rotate', colliderArms: 'rotate' }) },
  look('the front', 'Shift+1'),
  look('the side', 'Shift+2'),
  look('above', 'Shift+3'),
  look('a corner', 'Shift+4'),
  { name: 'Add a handle', act: () => void addHandle() },
  { name: 'Wireframe on or off', key: 'w', act: () => setView((v) => ({ wire: !v.wire })) },
  { name: 'Air on or off', key: 'a', act: () => setView((v) => ({ streaks: !airSeen(v) })) },
  { name: 'Scenery on or off', act: () => setView((v) => ({ scenery: !v.scenery })) },
  { name: 'Keep this view', act: () => void keepView() },
  { name: 'Next kept view', key: 'v', can: () => Object.keys(now.scene()?.cameras ?? {}).length > 0, act: () => nextView() },
  { name: 'Daylight or dusk', act: () => setView((v) => ({ dusk: !v.dusk })) },
  { name: 'Look around', act: () => setView({ tool: 'look' }) },
  { name: 'Pick points by click', act: () => (goTo('Hold'), setView({ tool: 'pick' })) },
  { name: 'Pick points by lasso', act: () => (goTo('Hold'), setView({ tool: 'lasso' })) },
  { name: 'Paint the shown map', act: () => paintShown() },
  { name: 'Comb the strands', can: () => Boolean(strandsChosen()), act: () => combChosen() },
  { name: 'Next map of the body', key: 'm', act: () => nextMap() },
  { name: 'Smaller brush', key: '-', can: () => isBrush(useView.getState().tool), act: () => scaleBrush(1 / 1.2) },
  { name: 'Larger brush', key: '=', can: () => isBrush(useView.getState().tool), act: () => scaleBrush(1.2) },
  { name: 'Weaker brush', key: 'Shift+-', can: () => isBrush(useView.getState().tool), act: () => strengthen(1 / 1.2) },
  { name: 'Stronger brush', key: 'Shift+=', can: () => isBrush(useView.getState().tool), act: () => strengthen(1.2) },
  { name: 'Pick points by box', act: () => (goTo('Hold'), setView({ tool: 'box' })) },
  { name: 'Bring in a mesh', act: () => chooseMesh('cloth') },
  { name: 'New project', act: newProject },
  { name: 'All projects', act: toProjects },
  { name: 'All keys', key: '?', act: () => setView({ keys: true }) },
  { name: 'Find a command', key: 'Mod+k', act: () => setView({ palette: true }) },
  ...STEPS.map((s, k): Action => ({ name: `Step: ${s}`, key: String(k + 1), act: () => goTo(s) })),
];

/** Those that can be done now, with a way to each project. */
export function actions(): Action[] {
  const projects = client.getQueryData<Summary[]>(['projects', false]) ?? [];
  const open = projects.map((p): Action => ({ name: `Open: ${p.name} (${p.id})`, act: () => openProject(p.id) }));
  const adding = (of: 'Shape' | 'Kind' | 'Form' | 'Act', what: string, add: (kind: string) => unknown) =>
    kinds(now.schema(), of).map(({ kind }): Action => ({ name: `Add ${what}: ${kind}`, act: () => void add(kind) }));
  const fields = [
    ...adding('Shape', 'a body', addShape),
    ...adding('Kind', 'a body', addKind),
    ...adding('Form', 'a collider', addCollider),
    ...adding('Act', 'a field', addField),
  ];
  return [...fixed, ...fields, ...open].filter((a) => a.can?.() ?? true);
}
