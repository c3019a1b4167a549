/** The bench: what the chosen step works on. */
import { useScene } from '../store/scene';
import { useView, type Step } from '../store/view';
import { Button } from '../ui/button';
import { AirStep } from './air-step';
import { addMesh, addSheet, chooseMesh, useBody } from './bodies';
import { ContactStep } from './contact-step';
import { DeliverStep } from './deliver-step';
import { HoldStep } from './hold-step';
import { RunStep } from './run-step';
import { ShapeStep } from './shape-step';

const WORDS: Record<Step, (name: string) => string> = {
  Shape: () => 'What moves, how fine it is, and what it is made of.',
  Hold: (n) => `What keeps the ${n} in place.`,
  Air: () => 'Gravity, wind and turbulence that act on everything.',
  Contact: () => 'What bodies come to rest on.',
  Run: () => 'Frames, precision, and what has been computed.',
  Deliver: () => 'The motion as files, from true frames.',
};

const PANELS = { Shape: ShapeStep, Hold: HoldStep, Air: AirStep, Contact: ContactStep, Run: RunStep, Deliver: DeliverStep };

export function Bench() {
  const step = useView((s) => s.step);
  const project = useScene((s) => s.project);
  const body = useBody();
  const name = (body && project?.scene.bodies[body]?.name) || 'body';
  const Panel = PANELS[step];
  const needsBody = !body && (step === 'Hold' || step === 'Run' || step === 'Deliver');
  return (
    <aside aria-label="Bench" className="flex min-w-0 flex-col overflow-y-auto border-r border-line bg-raised [grid-area:bench]">
      <header className="px-4 pt-3.5 pb-2.5">
        <h1 className="text-[19px] font-semibold tracking-tight">{step}</h1>
        <p className="mt-0.5 text-faded">{WORDS[step](name.charAt(0).toLowerCase() + name.slice(1))}</p>
      </header>
      {!project ? <p className="px-4 py-6 text-faded">Opening…</p> : needsBody ? <NoBody /> : <Panel />}
      <input
        id="mesh-file"
        type="file"
        accept=".obj,.gltf,.glb"
        className="hidden"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) void addMesh(file);
        }}
      />
    </aside>
  );
}

export function NoBody() {
  return (
    <div className="border-t border-line px-4 py-5">
      <p className="mb-3">There is nothing to move yet. Start with a sheet, or bring in a mesh.</p>
      <div className="flex gap-2">
        <Button onClick={() => void addSheet()}>Add a sheet</Button>
        <Button onClick={() => chooseMesh()}>Bring in a mesh</Button>
      </div>
    </div>
  );
}
