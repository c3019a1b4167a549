import { Collapsible } from 'radix-ui';
import { useEffect, useRef, type ReactNode } from 'react';
import { setView, useView } from '../state/view';

/** A part of the bench: a heading, what can be added to it, and what is in it. Folds, and remembers. */
export function Section({ title, action, children }: { title: string; action?: ReactNode; children: ReactNode }) {
  return (
    <section className="border-t border-line pt-1 pb-2">
      <h2 className="flex min-h-8 items-center justify-between px-4 text-[12px] font-semibold text-faded">
        {title}
        {action}
      </h2>
      {children}
    </section>
  );
}

/** A part of an opened thing. Folds, and remembers, for all things of its kind. */
export function Fold({ name, note, closed = false, children }: { name: string; note?: ReactNode; closed?: boolean; children: ReactNode }) {
  const folded = useView((v) => v.folded[name]) ?? closed;
  return (
    <Collapsible.Root open={!folded} onOpenChange={(open) => setView((v) => ({ folded: { ...v.folded, [name]: !open } }))}>
      <h3>
        <Collapsible.Trigger className="group flex h-7 w-full items-center gap-1.5 px-4 pl-5 text-left text-[12px] font-semibold text-faded hover:text-ink">
          <svg width="10" height="10" aria-hidden className="transition-transform group-data-[state=open]:rotate-90">
            <path d="M3 1.500l4 3.500-4 3.500" fill="none" stroke="currentColor" strokeWidth="1.500" strokeLinecap="round" />
          </svg>
          {name}
          <span className="ml-auto truncate pl-3 font-normal">{folded ? note : ''}</span>
        </Collapsible.Trigger>
      </h3>
      <Collapsible.Content>{children}</Collapsible.Content>
    </Collapsible.Root>
  );
}

/** A thing in the bench. Opened, its settings stand below it. */
export function Row(props: {
  name: string;
  note?: ReactNode;
  mark?: ReactNode;
  /** A small picture of it, before its name; the row is as high as that. */
  picture?: ReactNode;
  open?: boolean;
  dim?: boolean;
  onOpen?: () => void;
  /** Small buttons at its end. */
  tools?: ReactNode;
  children?: ReactNode;
}) {
  const { name, note, mark, picture, open, dim, onOpen, tools, children } = props;
  return (
    <div className={open ? 'bg-woad-wash-soft pb-2 shadow-[inset_3px_0_0_var(--woad)]' : ''}>
      <div
        className={`flex ${picture ? 'h-13' : 'h-8'} w-full items-center gap-1 pr-3 ${open ? 'bg-woad-wash font-semibold' : 'hover:bg-woad-wash-soft'}`}
      >
        <button
          type="button"
          aria-expanded={children === undefined ? undefined : Boolean(open)}
          onClick={onOpen}
          title={name}
          className="flex h-full min-w-0 flex-1 items-center gap-2.5 pl-4 text-left"
        >
          {picture ?? <span className="grid w-4 shrink-0 place-items-center">{mark}</span>}
          <span className={`min-w-16 truncate ${dim ? 'text-faded line-through' : ''}`}>{name}</span>
          <span className="ml-auto truncate pl-2 text-[12px] font-normal text-faded">{note}</span>
        </button>
        {tools}
      </div>
      {open && children}
    </div>
  );
}

/** What the rows below it say of an opened thing: what, where, when. */
export const Group = ({ name }: { name: string }) => <h3 className="px-4 pt-2 pl-9 text-[12px] font-semibold text-faded">{name}</h3>;

/** A line of words inside an opened thing. */
export const Note = ({ children, tone }: { children: ReactNode; tone?: 'care' }) => (
  <p className={`px-4 pl-9 py-1 text-[12px] ${tone ? 'text-weld' : 'text-faded'}`}>{children}</p>
);

export const Actions = ({ children }: { children: ReactNode }) => <div className="flex flex-wrap gap-2 px-4 pt-1.5 pl-9">{children}</div>;

/** A label and what stands beside it. */
export const Line = ({ label, children }: { label: string; children: ReactNode }) => (
  <div className="grid min-h-7 grid-cols-[88px_minmax(0,1fr)] items-center gap-2 px-4 pl-9">
    <span className="text-faded">{label}</span>
    {children}
  </div>
);

/** Comes into view when it is opened. */
export function Seen({ when, children }: { when: boolean; children: ReactNode }) {
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (when) here.current?.scrollIntoView({ block: 'nearest' });
  }, [when]);
  return <div ref={here}>{children}</div>;
}
