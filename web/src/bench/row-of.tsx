/** Copies of a body or a collider in a row, in one step. */
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { Button } from '../ui/button';
import { readSum } from '../ui/sum';
import { copyInRow } from './things';

/** Copies in a row at most. */
const MOST = 200;

export function RowOf({
  kind,
  id,
  name,
  step,
  onDone,
}: {
  kind: 'bodies' | 'colliders';
  id: string;
  name: string;
  step: number[];
  onDone: () => void;
}) {
  const [copies, setCopies] = useState('5');
  const [by, setBy] = useState(step.map((s) => String(s)));
  const n = Number(copies);
  const way = by.map((t) => readSum(t, { unit: 'm' }));
  const fits =
    Number.isInteger(n) && n >= 1 && n <= MOST && way.every((w) => 'value' in w) && way.some((w) => 'value' in w && w.value !== 0);
  const box = 'num h-7 min-w-0 rounded-[5px] border border-line-strong bg-field px-2';
  return (
    <Dialog.Root open onOpenChange={(open) => open || onDone()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/3 left-1/2 z-50 w-[min(420px,94vw)] -translate-1/2 rounded-xl bg-raised p-6 shadow-xl"
        >
          <Dialog.Title className="mb-3 text-[17px] font-semibold">{name} in a row</Dialog.Title>
          <form
            className="flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (!fits) return;
              void copyInRow(
                kind,
                id,
                n,
                way.map((w) => ('value' in w ? w.value : 0)),
              );
              onDone();
            }}
          >
            <label className="grid grid-cols-[88px_minmax(0,1fr)] items-center gap-2">
              <span className="text-faded">Copies</span>
              <input
                autoFocus
                aria-label="Copies"
                className={box}
                value={copies}
                onFocus={(e) => e.target.select()}
                onChange={(e) => setCopies(e.target.value)}
              />
            </label>
            <div className="grid grid-cols-[88px_minmax(0,1fr)] items-center gap-2">
              <span className="text-faded">Step, m</span>
              <span className="flex gap-1.5">
                {['x', 'y', 'z'].map((a, k) => (
                  <input
                    key={a}
                    aria-label={`Step along ${a}`}
                    className={`${box} flex-1`}
                    value={by[k]}
                    onFocus={(e) => e.target.select()}
                    onChange={(e) => setBy(by.with(k, e.target.value))}
                  />
                ))}
              </span>
            </div>
            {!fits && (
              <p role="alert" className="text-[12px] text-madder">
                1 to {MOST} copies, each some way from the one before.
              </p>
            )}
            <span className="flex justify-end gap-2">
              <Button onClick={onDone}>Leave it</Button>
              <Button look="main" type="submit" disabled={!fits}>
                Copy
              </Button>
            </span>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
