/** The bench: what the chosen step works on, under the project's name. */
import { useLayoutEffect, useRef } from 'react';
import { ErrorBoundary } from 'react-error-boundary';
import { Link } from 'wouter';
import { turn } from '../state/project';
import { useProject, useScene } from '../state/queries';
import { useView, type Step } from '../state/view';
import { Button } from '../ui/button';
import { Broken } from '../ui/broken';
import { showKey } from '../ui/keys';
import { AirStep } from './air-step';
import { ContactStep } from './contact-step';
import { DeliverStep } from './deliver-step';
import { FigureInput } from './figures';
import { HoldStep } from './hold-step';
import { MeshInputs } from './import-mesh';
import { NoBody } from './no-body';
import { RunStep } from './run-step';
import { ShapeStep } from './shape-step';
import { useBody } from './use-body';

const WORDS: Record<Step, (name: string) => string> = {
  Shape: () => 'What moves, how fine it is, and what it is made of.',
  Hold: (n) => `What keeps the ${n} in place.`,
  Air: () => 'What acts through space: weight, and the air that bodies meet.',
  Contact: () => 'What bodies come to rest on.',
  Run: () => 'Frames, precision, and what has been computed.',
  'Hand over': () => 'The motion as files, from frames that are up to date.',
};

const PANELS = { Shape: ShapeStep, Hold: HoldStep, Air: AirStep, Contact: ContactStep, Run: RunStep, 'Hand over': DeliverStep };

/** How far each step of each project is scrolled. */
const scrolled = new Map<string, number>();

function useScroll(of: string) {
  const pane = useRef<HTMLDivElement>(null);
  useLayoutEffect(() => {
    const at = pane.current;
    if (!at) return;
    at.scrollTop = scrolled.get(of) ?? 0;
    const keep = () => scrolled.set(of, at.scrollTop);
    at.addEventListener('scroll', keep);
    return () => at.removeEventListener('scroll', keep);
  }, [of]);
  return pane;
}

export function Bench() {
  const step = useView((v) => v.step);
  const open = useProject((p) => p.id);
  const pane = useScroll(`${open ?? 0} ${step}`);
  const body = useBody();
  const name = useScene((s) => (body && s.bodies[body]?.name) || 'body') ?? 'body';
  const Panel = PANELS[step];
  const needsBody = !body && (step === 'Hold' || step === 'Run' || step === 'Hand over');
  return (
    <aside role="region" aria-label="Bench" className="flex h-full min-w-0 flex-col border-r border-line bg-raised">
      <Top />
      <div ref={pane} tabIndex={-1} className="min-h-0 flex-1 overflow-x-hidden overflow-y-auto" data-testid="bench">
        <header className="px-4 pt-2.5 pb-2.5 [@media(max-height:600px)]:py-1">
          {/* The thread beside it says which step it is. */}
          <h1 className="sr-only">{step}</h1>
          <p className="text-[15px] leading-snug font-semibold [@media(max-height:600px)]:text-[13px]">
            {WORDS[step](name.charAt(0).toLowerCase() + name.slice(1))}
          </p>
        </header>
        <ErrorBoundary FallbackComponent={Broken} resetKeys={[step, open]}>
          {!open ? <p className="px-4 py-6 text-faded">Opening…</p> : needsBody ? <NoBody /> : <Panel />}
        </ErrorBoundary>
      </div>
      <MeshInputs />
      <FigureInput />
    </aside>
  );
}

/** The project's name, which leads to all projects; the last step back and forth. */
function Top() {
  const name = useProject((p) => p.name);
  const undo = useProject((p) => p.undo ?? null);
  const redo = useProject((p) => p.redo ?? null);
  return (
    <div className="flex h-10 shrink-0 items-center gap-1 border-b border-line pr-2 pl-4">
      <Link
        href="/projects"
        aria-label={`${name ?? ''}: all projects`}
        title="All projects"
        className="flex max-w-[62%] shrink-0 items-center gap-1.5 rounded font-semibold hover:text-woad"
      >
        <svg width="11" height="11" aria-hidden className="shrink-0 text-faded">
          <path d="M7.500 1.500L3 5.500l4.500 4" fill="none" stroke="currentColor" strokeWidth="1.600" strokeLinecap="round" />
        </svg>
        <span className="truncate" data-testid="project-name">
          {name ?? '…'}
        </span>
      </Link>
      <Button
        className="ml-auto flex min-w-0 items-center !border-0 !bg-transparent !px-1.5"
        aria-label={undo ? `Undo: ${undo}` : 'Undo'}
        disabled={!undo}
        hint={undo ? `Undo: ${undo} (${showKey('Mod+z')})` : 'Nothing to undo'}
        onClick={() => turn('undo')}
      >
        <Back />
        {undo && (
          <span className="ml-1.5 max-w-[120px] min-w-0 truncate text-[12px] font-normal text-faded" data-testid="undo-name">
            {undo}
          </span>
        )}
      </Button>
      <Button
        className="shrink-0 !border-0 !bg-transparent !px-1.5"
        aria-label={redo ? `Redo: ${redo}` : 'Redo'}
        disabled={!redo}
        hint={redo ? `Redo: ${redo} (${showKey('Mod+Shift+z')})` : 'Nothing to redo'}
        onClick={() => turn('redo')}
      >
        <Back turned />
      </Button>
    </div>
  );
}

const Back = ({ turned = false }) => (
  <svg width="16" height="14" aria-hidden className="shrink-0" style={turned ? { transform: 'scaleX(-1)' } : undefined}>
    <path
      d="M5.500 2L2 5.500 5.500 9M2.500 5.500H10a3.500 3.500 0 0 1 0 7H6"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.600"
      strokeLinecap="round"
      strokeLinejoin="round"
    />
  </svg>
);
