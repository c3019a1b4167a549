/** What is seen and from where: a strip of words along the lower edge of the view. */
import { DropdownMenu } from 'radix-ui';
import { useScene } from '../state/queries';
import { airSeen, setView, useView } from '../state/view';
import { frameChosen } from './frame-chosen';
import { keepView, lookThrough } from './kept-views';

const WORD = 'whitespace-nowrap rounded px-2 py-0.5 text-[12px] hover:bg-woad-wash focus-visible:outline-2 focus-visible:outline-woad';

export function ViewSwitches() {
  const [wire, air, scenery, dusk] = [useView((v) => v.wire), useView(airSeen), useView((v) => v.scenery), useView((v) => v.dusk)];
  const placed = useScene((s) => Object.values(s.figures ?? {}).some((f) => f.scenery)) ?? false;
  const turn = (name: string, label: string, key: string, on: boolean, act: () => void) => (
    <button
      key={name}
      type="button"
      aria-pressed={on}
      aria-label={label}
      title={key ? `${label} (${key})` : label}
      className={`${WORD} ${on ? 'text-ink underline decoration-woad decoration-2 underline-offset-4' : 'text-faded'}`}
      onClick={act}
    >
      {name}
    </button>
  );
  return (
    <div
      role="toolbar"
      aria-label="View"
      className="pointer-events-auto flex items-center rounded-md border border-line bg-raised/95 p-0.5"
    >
      {turn('Wireframe', 'Wireframe', 'W', wire, () => setView({ wire: !wire }))}
      {turn('Air', 'Air in the view', 'A', air, () => setView({ streaks: !air }))}
      {placed && turn('Scenery', 'Scenery', '', scenery, () => setView({ scenery: !scenery }))}
      <button type="button" className={WORD} title={dusk ? 'To daylight' : 'To dusk'} onClick={() => setView({ dusk: !dusk })}>
        {dusk ? 'Daylight' : 'Dusk'}
      </button>
      <span aria-hidden className="mx-0.5 h-4 w-px bg-line" />
      <button type="button" className={WORD} title="Bring what is chosen into view (F)" onClick={frameChosen}>
        Bring into view
      </button>
      <Views />
    </div>
  );
}

/** The views that are kept, and keeping this one. */
function Views() {
  const cameras = useScene((s) => s.cameras) ?? {};
  const ITEM = 'rounded px-2 py-1 outline-none data-[highlighted]:bg-woad-wash';
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className={WORD} title="Views that are kept (V goes from one to the next)">
        Views
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          side="top"
          align="start"
          sideOffset={4}
          className="z-50 min-w-40 rounded-md border border-line-strong bg-raised p-1 shadow-md"
        >
          {Object.entries(cameras).map(([id, c]) => (
            <DropdownMenu.Item key={id} className={ITEM} onSelect={() => lookThrough(id)}>
              {c.name}
            </DropdownMenu.Item>
          ))}
          {Object.keys(cameras).length > 0 && <DropdownMenu.Separator className="my-1 h-px bg-line" />}
          <DropdownMenu.Item className={ITEM} onSelect={() => void keepView()}>
            Keep this view
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
