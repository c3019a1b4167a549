/** Every action by its name, with its key: the command line and the keyboard both read this list. */
import { begin, cancel, isGoing, run, show, turn, useScene } from '../store/scene';
import { goTo, setView, STEPS, useView } from '../store/view';
import { clock } from '../stream/clock';
import { stage } from '../viewport/stage';
import { addSheet, chooseMesh } from '../bench/bodies';
import { addField } from '../bench/fields';
import { deleteChosen, holdChosen } from '../bench/grips';

export type Action = {
  name: string;
  /** As shown, and as matched: a key, with `Mod+` for Ctrl or Cmd. */
  key?: string;
  can?: () => boolean;
  act: () => void;
};

const going = () => useScene.getState().runs.some(isGoing);

const fixed: Action[] = [
  { name: 'Play or stop', key: 'Space', act: () => clock.toggle() },
  { name: 'Next frame', key: 'ArrowRight', act: () => clock.step(1) },
  { name: 'Previous frame', key: 'ArrowLeft', act: () => clock.step(-1) },
  { name: 'First frame', key: 'Home', act: () => (clock.stop(), clock.go(clock.first)) },
  { name: 'Last frame', key: 'End', act: () => (clock.stop(), clock.go(clock.last)) },
  { name: 'Loop on or off', act: () => clock.setLoop(!clock.loop) },
  { name: 'Run', key: 'Mod+Enter', can: () => !going(), act: () => void run() },
  { name: 'Cancel the run', can: going, act: () => void cancel() },
  { name: 'Undo', key: 'Mod+z', can: () => Boolean(useScene.getState().project?.undo), act: () => turn('undo') },
  { name: 'Redo', key: 'Mod+Shift+z', can: () => Boolean(useScene.getState().project?.redo), act: () => turn('redo') },
  { name: 'Hold the chosen points', key: 'h', can: () => useView.getState().points.length > 0, act: () => void holdChosen() },
  { name: 'Remove what is chosen', key: 'Delete', act: () => void deleteChosen() },
  { name: 'Choose nothing', key: 'Escape', act: () => setView({ points: [] }) },
  { name: 'Frame the chosen body', key: 'f', act: () => stage.frame() },
  { name: 'Wireframe on or off', key: 'w', act: () => setView((v) => ({ wire: !v.wire })) },
  { name: 'Air on or off', key: 'a', act: () => setView((v) => ({ air: !v.air })) },
  { name: 'Daylight or dusk', act: () => setView((v) => ({ dusk: !v.dusk })) },
  { name: 'Look around', act: () => setView({ tool: 'look' }) },
  { name: 'Pick points by click', act: () => (goTo('Hold'), setView({ tool: 'pick' })) },
  { name: 'Pick points by box', act: () => (goTo('Hold'), setView({ tool: 'box' })) },
  { name: 'Add a sheet', act: () => void addSheet() },
  { name: 'Bring in a mesh', act: () => chooseMesh() },
  { name: 'Add a wind', act: () => void addField('wind') },
  { name: 'Add a turbulence', act: () => void addField('turbulence') },
  { name: 'Add gravity', act: () => void addField('gravity') },
  { name: 'New project', act: () => void begin() },
  { name: 'All keys', key: '?', act: () => setView({ keys: true }) },
  { name: 'Command line', key: 'Mod+k', act: () => setView({ palette: true }) },
];

export function actions(): Action[] {
  const steps = STEPS.map((s, k) => ({ name: `Step: ${s}`, key: String(k + 1), act: () => goTo(s) }));
  const projects = useScene.getState().projects.map((p) => ({ name: `Open: ${p.name} (${p.id})`, act: () => void show(p.id) }));
  return [...fixed, ...steps, ...projects].filter((a: Action) => a.can?.() ?? true);
}

export const allKeys = (): Action[] => [...fixed, ...STEPS.map((s, k) => ({ name: `Step: ${s}`, key: String(k + 1), act: () => goTo(s) }))];
