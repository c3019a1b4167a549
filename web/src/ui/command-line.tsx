import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { setView, useView } from '../store/view';
import { actions } from './actions';
import { Key } from './keys';

/** Every action by its name: type a part of it, Enter does the first. */
export function CommandLine() {
  const open = useView((s) => s.palette);
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = open ? actions().filter((a) => words.every((w) => a.name.toLowerCase().includes(w))) : [];
  const close = () => {
    setView({ palette: false });
    setText('');
    setAt(0);
  };
  const act = (k: number) => {
    const action = found[k];
    close();
    action?.act();
  };
  return (
    <Dialog.Root open={open} onOpenChange={(o) => (o ? setView({ palette: true }) : close())}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content aria-describedby={undefined} className="fixed top-24 left-1/2 z-50 w-[480px] -translate-x-1/2 overflow-hidden rounded-xl bg-raised shadow-xl">
          <Dialog.Title className="sr-only">Command line</Dialog.Title>
          <input
            aria-label="What to do"
            placeholder="What to do"
            className="w-full border-b border-line bg-transparent px-5 py-3.5 text-[15px] outline-none"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              if (e.key === 'Enter') act(at);
              else if (e.key === 'ArrowDown') setAt(Math.min(found.length - 1, at + 1));
              else if (e.key === 'ArrowUp') setAt(Math.max(0, at - 1));
              else return;
              e.preventDefault();
            }}
          />
          <ul role="listbox" aria-label="Actions" className="max-h-80 overflow-auto py-1.5">
            {found.map((a, k) => (
              <li
                key={a.name}
                role="option"
                aria-selected={k === at}
                className={`flex cursor-pointer items-center justify-between px-5 py-1.5 ${k === at ? 'bg-woad-wash' : ''}`}
                onPointerEnter={() => setAt(k)}
                onClick={() => act(k)}
              >
                {a.name}
                {a.key && <Key>{a.key}</Key>}
              </li>
            ))}
            {found.length === 0 && <li className="px-5 py-2 text-faded">Nothing is called that.</li>}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
