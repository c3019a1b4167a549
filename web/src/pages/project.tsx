/** The window on a project: thread, bench, view, loom. */
import { useEffect, useRef, useState } from 'react';
import { ErrorBoundary } from 'react-error-boundary';
import { Group, Panel, Separator, usePanelRef } from 'react-resizable-panels';
import { Link } from 'wouter';
import { Problem } from '../api/http';
import { Bench } from '../bench/bench';
import { ImportDialog } from '../bench/import-mesh';
import { Thread } from '../bench/thread';
import { Loom } from '../loom/loom';
import { useHere } from '../state/here';
import { leave, show } from '../state/project';
import { useProject } from '../state/queries';
import { setView, useView } from '../state/view';
import { Broken } from '../ui/broken';
import { Button } from '../ui/button';
import { CommandLine } from '../ui/command-line';
import { KeyList, useKeys } from '../ui/keys';
import { MessageBar } from '../ui/message-bar';
import { Viewport } from '../viewport/viewport';

export function ProjectPage({ id }: { id: number }) {
  const [problem, setProblem] = useState<Error | null>(null);
  const [tries, setTries] = useState(0);
  const name = useProject((p) => p.name);
  useEffect(() => {
    setProblem(null);
    let here = true;
    show(id).catch((e) => here && setProblem(e));
    return () => {
      here = false;
      leave();
    };
  }, [id, tries]);
  useEffect(() => {
    document.title = name ? `${name} · Nematon` : 'Nematon';
  }, [name]);
  if (problem) return <NotThere problem={problem} onTry={() => setTries(tries + 1)} />;
  return <Room />;
}

function NotThere({ problem, onTry }: { problem: Error; onTry: () => void }) {
  const gone = problem instanceof Problem && (problem.status === 404 || problem.status === 400);
  return (
    <main className="grid h-full place-items-center bg-ground">
      <div className="max-w-[440px] px-6 text-center">
        <h1 className="text-[22px] font-semibold">{gone ? 'There is no such project' : 'It can’t be opened now'}</h1>
        <p className="mt-1 mb-4 text-faded">
          {gone ? 'It was removed, or the address is another’s. What was removed can be brought back for thirty days.' : problem.message}
        </p>
        <p className="flex justify-center gap-2">
          {!gone && <Button onClick={onTry}>Try again</Button>}
          <Link href="/projects" className="rounded-md bg-madder px-3.5 py-1 font-semibold text-on-madder">
            All projects
          </Link>
        </p>
      </div>
    </main>
  );
}

/** Opened, curves make the loom grow upward; put away, it is as high as before. */
function useLoomHeight() {
  const loom = usePanelRef();
  const curves = useView((v) => v.curves);
  const was = useRef<boolean | null>(null);
  const before = useRef(148);
  useEffect(() => {
    const panel = loom.current;
    if (!panel || was.current === null || was.current === curves) {
      was.current = curves;
      return;
    }
    was.current = curves;
    const now = panel.getSize().inPixels;
    if (curves) {
      before.current = now;
      panel.resize(`${Math.max(now, Math.min(340, Math.round(innerHeight * 0.46)))}px`);
    } else panel.resize(`${Math.min(now, before.current)}px`);
  }, [curves, loom]);
  useFit(loom, curves);
  return loom;
}

/** As high as its lanes need, up to a third of the window, until somebody drags its edge. */
function useFit(loom: ReturnType<typeof usePanelRef>, curves: boolean) {
  const fits = useView((v) => v.loomFits);
  const needs = useHere((h) => h.loomNeeds);
  useEffect(() => {
    if (!fits || curves || needs === 0) return;
    const fit = () => loom.current?.resize(`${Math.round(Math.min(Math.max(needs, LEAST), innerHeight / 3))}px`);
    fit();
    addEventListener('resize', fit);
    return () => removeEventListener('resize', fit);
  }, [fits, needs, curves, loom]);
}

/** Height of the loom at least: its ruler and a lane. */
const LEAST = 78;

const EDGE = 'relative z-10 outline-none hover:bg-woad/30 focus-visible:bg-woad/50 data-[separator=active]:bg-woad/50';

function Room() {
  const here = useHere((h) => h.here);
  useKeys();
  // Sizes to begin with; later ones are the panels' own.
  const [begun] = useState(() => useView.getState());
  const loom = useLoomHeight();
  return (
    <main className="h-full">
      <Group orientation="vertical" className="h-full">
        <Panel minSize="180px">
          <div className="flex h-full">
            <Thread />
            <Group orientation="horizontal" className="min-w-0 flex-1">
              <Panel
                defaultSize={`${begun.benchWidth}px`}
                minSize="264px"
                maxSize="560px"
                groupResizeBehavior="preserve-pixel-size"
                onResize={(s) => setView({ benchWidth: Math.round(s.inPixels) })}
              >
                <Bench />
              </Panel>
              <Separator aria-label="Width of the bench" className={`-mx-[3px] w-1.5 ${EDGE}`} />
              <Panel minSize="260px">
                <section aria-label="The view" className="relative h-full min-w-0 overflow-hidden">
                  <ErrorBoundary FallbackComponent={Broken}>
                    <Viewport />
                  </ErrorBoundary>
                  <MessageBar />
                  {!here && (
                    <p role="status" className="absolute inset-x-0 top-16 mx-auto w-fit rounded-lg bg-ink px-4 py-2 text-ground">
                      The server is away. Looking for it…
                    </p>
                  )}
                </section>
              </Panel>
            </Group>
          </div>
        </Panel>
        <Separator
          aria-label="Height of the loom"
          title="Drag to make the loom higher; double-click for as high as its lanes need"
          className={`-my-[3px] h-1.5 ${EDGE}`}
          onPointerDown={() => setView({ loomFits: false })}
          onKeyDown={(e) => e.key.startsWith('Arrow') && setView({ loomFits: false })}
          onDoubleClick={() => setView({ loomFits: true })}
        />
        <Panel
          panelRef={loom}
          defaultSize={`${begun.loomHeight}px`}
          minSize={`${LEAST}px`}
          maxSize="620px"
          groupResizeBehavior="preserve-pixel-size"
          onResize={(s) => setView({ loomHeight: Math.round(s.inPixels) })}
        >
          <section aria-label="Loom" className="h-full min-w-0 border-t border-line-strong bg-sunk">
            <ErrorBoundary FallbackComponent={Broken}>
              <Loom />
            </ErrorBoundary>
          </section>
        </Panel>
      </Group>
      <ImportDialog />
      <CommandLine />
      <KeyList />
    </main>
  );
}
