import type { ReactNode } from 'react';

/** A part of the bench: a heading, what can be added to it, and what is in it. */
export function Section({ title, action, children }: { title: string; action?: ReactNode; children: ReactNode }) {
  return (
    <section className="border-t border-line pt-1 pb-2">
      <h2 className="flex h-8 items-center justify-between px-4 text-[12px] font-semibold text-faded">
        {title}
        {action}
      </h2>
      {children}
    </section>
  );
}

/** A thing in the bench. Opened, its settings stand below it. */
export function Row(props: {
  name: string;
  note?: string;
  mark?: ReactNode;
  open?: boolean;
  onOpen?: () => void;
  children?: ReactNode;
}) {
  const { name, note, mark, open, onOpen, children } = props;
  return (
    <div className={open ? 'bg-woad-wash-soft pb-2 shadow-[inset_3px_0_0_var(--woad)]' : ''}>
      <button
        type="button"
        aria-expanded={children === undefined ? undefined : Boolean(open)}
        onClick={onOpen}
        className={`flex h-8 w-full items-center gap-2.5 px-4 text-left ${open ? 'bg-woad-wash font-semibold' : 'hover:bg-woad-wash-soft'}`}
      >
        <span className="grid w-4 shrink-0 place-items-center">{mark}</span>
        <span className="truncate">{name}</span>
        <span className="ml-auto shrink-0 text-[12px] font-normal text-faded">{note}</span>
      </button>
      {open && children}
    </div>
  );
}

/** A line of words inside an opened thing. */
export const Note = ({ children, tone }: { children: ReactNode; tone?: 'care' }) => (
  <p className={`px-4 pl-9 py-1 text-[12px] ${tone ? 'text-weld' : 'text-faded'}`}>{children}</p>
);

export const Actions = ({ children }: { children: ReactNode }) => (
  <div className="flex flex-wrap gap-2 px-4 pt-1.5 pl-9">{children}</div>
);

/** A label and what stands beside it. */
export const Line = ({ label, children }: { label: string; children: ReactNode }) => (
  <div className="grid h-7 grid-cols-[96px_minmax(0,1fr)] items-center gap-2 px-4 pl-9">
    <span className="text-faded">{label}</span>
    {children}
  </div>
);
