/** The window: thread, bench, viewport, loom. */
import { Tooltip } from 'radix-ui';
import { useEffect } from 'react';
import { Bench } from './bench/bench';
import { Thread } from './bench/thread';
import { Loom } from './loom/loom';
import { useScene } from './store/scene';
import { useView } from './store/view';
import { CommandLine } from './ui/command-line';
import { KeyList, useKeys } from './ui/keys';
import { MessageBar } from './ui/message-bar';
import { Sizer } from './ui/sizer';
import { Viewport } from './viewport/viewport';

export function App() {
  const { benchWidth, loomHeight, dusk } = useView();
  const here = useScene((s) => s.here);
  useKeys();
  useEffect(() => {
    document.documentElement.classList.toggle('dusk', dusk);
  }, [dusk]);
  return (
    <Tooltip.Provider delayDuration={400}>
      <div
        className="grid h-full"
        style={{
          gridTemplate: `minmax(0, 1fr) ${loomHeight}px / 106px ${benchWidth}px minmax(0, 1fr)`,
          gridTemplateAreas: '"thread bench view" "loom loom loom"',
        }}
      >
        <Thread />
        <Bench />
        <main className="relative min-w-0 overflow-hidden [grid-area:view]">
          <Viewport />
          <Sizer edge="bench" />
          <MessageBar />
          {!here && (
            <p role="status" className="absolute inset-x-0 top-16 mx-auto w-fit rounded-lg bg-ink px-4 py-2 text-ground">
              The server is away. Looking for it…
            </p>
          )}
        </main>
        <section aria-label="Loom" className="relative min-w-0 border-t border-line-strong bg-sunk [grid-area:loom]">
          <Sizer edge="loom" />
          <Loom />
        </section>
      </div>
      <CommandLine />
      <KeyList />
    </Tooltip.Provider>
  );
}
