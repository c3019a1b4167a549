import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { EMPTY } from '../state/project';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { beginProject } from './go';

/** What a new project is called is asked before there is one. */
export function NewProject() {
  const open = useView((v) => v.naming);
  return (
    <Dialog.Root open={open} onOpenChange={(naming) => setView({ naming })}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/3 left-1/2 z-50 w-[min(400px,94vw)] -translate-1/2 rounded-xl bg-raised p-6 shadow-xl"
        >
          <Dialog.Title className="mb-3 text-[17px] font-semibold">New project</Dialog.Title>
          <Name />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Name() {
  const [name, setName] = useState(EMPTY.name);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (!name.trim()) return;
        setView({ naming: false });
        void beginProject(name.trim());
      }}
    >
      <label className="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-2">
        <span className="text-faded">Name</span>
        <input
          autoFocus
          aria-label="Name of the new project"
          maxLength={120}
          autoComplete="off"
          className="h-7 rounded-[5px] border border-line-strong bg-field px-2"
          value={name}
          onFocus={(e) => e.target.select()}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <span className="flex justify-end gap-2">
        <Button onClick={() => setView({ naming: false })}>Leave it</Button>
        <Button look="main" type="submit" disabled={!name.trim()}>
          Begin
        </Button>
      </span>
    </form>
  );
}
