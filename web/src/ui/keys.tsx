import { Dialog } from 'radix-ui';
import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { setView, useView } from '../state/view';
import { fixed } from './actions';

/** As the hook writes a key of ours. */
const HOOKED: Record<string, string> = {
  ArrowRight: 'right',
  ArrowLeft: 'left',
  Escape: 'esc',
  Space: 'space',
  '-': 'minus',
  '=': 'equal',
  '.': 'period',
  ',': 'comma',
};
const hooked = (key: string) =>
  key
    .split('+')
    .map((k) => HOOKED[k] ?? k.toLowerCase())
    .join('+');

const keyed = fixed.filter((a) => a.key);
const MORE: Record<string, string> = { backspace: 'Delete', 'mod+y': 'Mod+Shift+z' };
const BY_KEY = new Map([
  ...keyed.map((a) => [hooked(a.key!), a] as const),
  ...Object.entries(MORE).map(([k, of]) => [k, keyed.find((a) => a.key === of)!] as const),
]);

/** Whether a menu, a list or a dialog is open: its keys are its own. */
const menuIsOpen = () => document.querySelector('[role=dialog], [role=menu], [role=listbox]') !== null;

/** Whether a key belongs to where the focus is. */
function isTheirs(e: KeyboardEvent): boolean {
  if (menuIsOpen()) return true;
  const at = e.target as HTMLElement | null;
  if (at?.matches?.('input:not([type=checkbox]), textarea, [contenteditable]')) {
    // A field that is being typed in keeps all; one that only has the focus, all but what acts on the scene.
    if (at.dataset['typing']) return !((e.ctrlKey || e.metaKey) && (e.key === 'k' || e.key === 'Enter'));
    return !(e.key === ' ' || ((e.ctrlKey || e.metaKey) && !/^[acvx]$/i.test(e.key)));
  }
  // The view's own arrows and Enter go from point to point while picking; an edge's arrows move it.
  if (at?.matches?.('[data-testid=view]') && useView.getState().tool !== 'look') return /^(Arrow|Enter)/.test(e.key);
  // Keys of numbers are taken out and nudged where they stand.
  if (at?.matches?.('[data-testid=lines], [data-knot]'))
    return (
      /^(Delete|Backspace|Escape)$/.test(e.key) || (e.altKey && e.key.startsWith('Arrow')) || ((e.ctrlKey || e.metaKey) && e.key === 'a')
    );
  if (at?.matches?.('[role=separator], [role=radio]')) return /^(Arrow|Home|End)/.test(e.key);
  return false;
}

/** The keys of all actions, wherever the focus is, unless text is typed or a menu is open. */
export function useKeys() {
  useHotkeys(
    [...BY_KEY.keys()],
    (e, hotkey) => {
      const action = BY_KEY.get(hotkey.hotkey);
      if (!action || !(action.can?.() ?? true)) return;
      e.preventDefault();
      e.stopPropagation();
      action.act();
    },
    { ignoreEventWhen: isTheirs, enableOnFormTags: true, enableOnContentEditable: true, eventListenerOptions: { capture: true } },
  );
  useHotkeys(
    '?',
    (e) => {
      e.preventDefault();
      setView({ keys: true });
    },
    { useKey: true, ignoreModifiers: true, ignoreEventWhen: isTheirs },
  );
  // A button is pressed by Space when it comes up: it must not, where Space plays.
  useEffect(() => {
    const up = (e: KeyboardEvent) => {
      if (e.key === ' ' && !isTheirs(e)) e.preventDefault();
    };
    document.addEventListener('keyup', up, true);
    return () => document.removeEventListener('keyup', up, true);
  }, []);
}

const SIGNS: Record<string, string> = { ArrowRight: '→', ArrowLeft: '←', Escape: 'Esc' };
const mac = /Mac|iPhone|iPad/.test(navigator.userAgent);

/** A key as it is read aloud and printed on keyboards. */
export const showKey = (key: string) =>
  key
    .split('+')
    .map((k) => (k === 'Mod' ? (mac ? 'Cmd' : 'Ctrl') : (SIGNS[k] ?? (k.length === 1 ? k.toUpperCase() : k))))
    .join(' ');

export const Key = ({ children }: { children: string }) => (
  <kbd className="num rounded border border-line-strong bg-field px-1.5 py-px whitespace-nowrap text-faded">{showKey(children)}</kbd>
);

export function KeyList() {
  const open = useView((v) => v.keys);
  return (
    <Dialog.Root open={open} onOpenChange={(keys) => setView({ keys })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 flex max-h-[86vh] w-[min(600px,94vw)] -translate-1/2 flex-col overflow-hidden rounded-xl bg-raised p-6 shadow-xl"
        >
          <Dialog.Title className="mb-3 text-[17px] font-semibold">Keys</Dialog.Title>
          <dl tabIndex={0} aria-label="All keys" className="grid min-h-0 grid-cols-2 gap-x-8 gap-y-1.5 overflow-auto">
            {keyed.map((a) => (
              <div key={a.name} className="flex justify-between gap-2">
                <dt>{a.name}</dt>
                <dd>
                  <Key>{a.key!}</Key>
                </dd>
              </div>
            ))}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
