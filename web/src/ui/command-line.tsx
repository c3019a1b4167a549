import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { setView, useView } from '../state/view';
import { actions } from './actions';
import { Key } from './keys';

/** All words somewhere in the name: what begins with the first is better. */
const fits = (name: string, search: string) => {
  const [at, words] = [name.toLowerCase(), search.toLowerCase().split(/\s+/).filter(Boolean)];
  if (!words.every((w) => at.includes(w))) return 0;
  return at.startsWith(words[0] ?? '') ? 1 : 0.5;
};

/** Every action by its name: type a part of it, Enter does the first. */
export function CommandLine() {
  const open = useView((v) => v.palette);
  return (
    <Dialog.Root open={open} onOpenChange={(palette) => setView({ palette })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-50 w-[min(480px,94vw)] -translate-x-1/2 overflow-hidden rounded-xl bg-raised shadow-xl"
        >
          <Dialog.Title className="sr-only">Find a command</Dialog.Title>
          <Command label="What to do" filter={fits} loop>
            <Command.Input
              aria-label="What to do"
              placeholder="What to do"
              className="w-full border-b border-line bg-transparent px-5 py-3.5 text-[15px] outline-none"
            />
            <Command.List className="max-h-[min(320px,60vh)] overflow-auto py-1.5">
              <Command.Empty className="px-5 py-2 text-faded">Nothing is called that.</Command.Empty>
              {open &&
                actions().map((a) => (
                  <Command.Item
                    key={a.name}
                    value={a.name}
                    className="flex cursor-pointer items-center justify-between gap-3 px-5 py-1.5 data-[selected=true]:bg-woad-wash"
                    onSelect={() => {
                      setView({ palette: false });
                      // After the line has given the focus back.
                      setTimeout(a.act);
                    }}
                  >
                    <span className="truncate">{a.name}</span>
                    {a.key && <Key>{a.key}</Key>}
                  </Command.Item>
                ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
