import { Dialog } from 'radix-ui';
import { useEffect } from 'react';
import { setView, useView } from '../store/view';
import { actions, allKeys } from './actions';

/** A key press as the list of actions writes it. */
function written(e: KeyboardEvent): string {
  const key = e.key === ' ' ? 'Space' : e.key === 'Backspace' ? 'Delete' : e.key.length === 1 ? e.key.toLowerCase() : e.key;
  const mod = e.ctrlKey || e.metaKey ? 'Mod+' : '';
  return `${mod}${mod && e.shiftKey ? 'Shift+' : ''}${key}`;
}

export function useKeys() {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      const typing = at.matches('input, textarea, [contenteditable]');
      const key = written(e);
      const open = useView.getState().palette || useView.getState().keys;
      // In a field keys are text; only those with Ctrl or Cmd act, and not undo, which is the field's own.
      if (open || (typing && (!key.startsWith('Mod+') || key.endsWith('+z')))) return;
      if (key === 'Space' && at.matches('button, [role="switch"], [role="combobox"]')) return;
      const found = actions().find((a) => a.key === key || (a.key === 'Mod+Shift+z' && key === 'Mod+y'));
      if (!found) return;
      e.preventDefault();
      found.act();
    };
    addEventListener('keydown', press);
    return () => removeEventListener('keydown', press);
  }, []);
}

const SIGNS: Record<string, string> = { ArrowRight: '→', ArrowLeft: '←', Escape: 'Esc' };
const mac = /Mac|iPhone|iPad/.test(navigator.userAgent);

/** A key as it is read aloud and printed on keyboards. */
export const showKey = (key: string) =>
  key.split('+').map((k) => (k === 'Mod' ? (mac ? 'Cmd' : 'Ctrl') : (SIGNS[k] ?? (k.length === 1 ? k.toUpperCase() : k)))).join(' ');

export const Key = ({ children }: { children: string }) => (
  <kbd className="num rounded border border-line-strong bg-field px-1.5 py-px text-faded">{showKey(children)}</kbd>
);

export function KeyList() {
  const open = useView((s) => s.keys);
  return (
    <Dialog.Root open={open} onOpenChange={(keys) => setView({ keys })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content aria-describedby={undefined} className="fixed top-1/2 left-1/2 z-50 max-h-[80vh] w-[560px] -translate-1/2 overflow-auto rounded-xl bg-raised p-6 shadow-xl">
          <Dialog.Title className="mb-3 text-[17px] font-semibold">Keys</Dialog.Title>
          <dl className="grid grid-cols-2 gap-x-8 gap-y-1.5">
            {allKeys().map(
              (a) =>
                a.key && (
                  <div key={a.name} className="flex justify-between">
                    <dt>{a.name}</dt>
                    <dd><Key>{a.key}</Key></dd>
                  </div>
                ),
            )}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
