/** What is rehearsed, how fast, and what becomes of it; over the view while it lasts. */
import { finish, keep, leave, near, useRehearsal } from '../stream/rehearsal';
import { Button } from '../ui/button';

/** How fast it goes, in words: who is shown less than true speed turns everything up too far. */
function speed(pace: number): string {
  if (pace > 0.94) return 'at true speed';
  const parts = ['', 'true', 'half of true', 'a third of true', 'a quarter of true', 'a fifth of true'];
  const n = Math.round(1 / Math.max(pace, 0.01));
  return n <= 1 ? 'a little under true speed' : `at ${parts[n] ?? `1/${n} of true`} speed`;
}

const NEARS = [0, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05];

export function RehearseBar() {
  const { state, of, pace, from, why, numbers, within } = useRehearsal();
  if (state === 'off' || !of) return null;
  const keys = numbers?.reduce((n, x) => Math.max(n, x.keys.length), 0) ?? 0;
  const frames = numbers?.[0]?.of ?? 0;
  const off = Math.max(0, ...(numbers ?? []).filter((n) => !n.path.includes('/turn/')).map((n) => n.off));
  return (
    <div
      role="status"
      data-testid="rehearsal"
      className="flex w-fit max-w-full flex-wrap items-center gap-2 rounded-lg border border-madder bg-raised/95 px-2.5 py-1 shadow-sm"
    >
      {state !== 'over' ? (
        <>
          <span aria-hidden className="size-2 rounded-full bg-madder" />
          <span>
            {state === 'starting'
              ? `Getting ready to rehearse ${of.name}…`
              : `Rehearsing ${of.name} from ${from}, ${speed(pace)}: ${of.place.endsWith('/place') ? 'move it' : 'drag its number'}`}
          </span>
          {state === 'on' && (
            <Button look="main" onClick={finish}>
              That’s it
            </Button>
          )}
          <Button onClick={leave}>Leave it</Button>
        </>
      ) : (
        <>
          <span>
            {why ? `It stopped: ${why} ` : ''}
            {numbers
              ? `${keys} keys of ${frames} frames${off > 0 ? `, within ${(1e3 * off).toPrecision(2)} mm` : ', exactly'}`
              : 'Looking at what you did…'}
          </span>
          {of.place.endsWith('/place') && (
            <label className="flex items-center gap-1.5 text-[12px] text-faded">
              fewer keys
              <input
                type="range"
                aria-label="How far keys may be off"
                min="0"
                max={NEARS.length - 1}
                step="1"
                value={Math.max(0, NEARS.indexOf(within))}
                className="w-24 accent-[var(--woad)]"
                onChange={(e) => near(NEARS[Number(e.target.value)]!, 17.5 * NEARS[Number(e.target.value)]!)}
              />
            </label>
          )}
          <Button look="main" disabled={!numbers} onClick={() => void keep()}>
            Keep the keys
          </Button>
          <Button onClick={leave}>Leave it</Button>
        </>
      )}
    </div>
  );
}
