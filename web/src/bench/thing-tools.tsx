/** What can be done with a thing of any kind, at the end of its row. */
import { DropdownMenu } from 'radix-ui';
import { useOpen } from '../state/queries';
import { useView } from '../state/view';
import { useState } from 'react';
import { useScene } from '../state/queries';
import { at } from '../state/pointer';
import type { Node } from '../api/http';
import { nodeMoves } from '../state/value';
import { RowOf } from './row-of';
import { copyThing, hide, removeThing, setDown, showAlone, stepOf, type Kind } from './things';

type Item = { name: string; act: () => void };

export function ThingTools({ kind, id, name, more = [] }: { kind: Kind; id: string; name: string; more?: Item[] }) {
  const project = useOpen();
  const hidden = useView((v) => v.seen[project]?.hidden?.includes(id) ?? false);
  const [row, setRow] = useState(false);
  const still = useScene((s) => !nodeMoves(at(s, `/${kind}/${id}/place`) as Node | undefined)) ?? false;
  const items: Item[] = [
    { name: 'Copy', act: () => void copyThing(kind, id) },
    ...((kind === 'bodies' || kind === 'colliders') && still ? [{ name: 'Copy in a row…', act: () => setRow(true) }] : []),
    ...(kind === 'fields' || kind === 'handles' || kind === 'cameras'
      ? []
      : [
          ...(kind === 'figures' ? [] : [{ name: 'Set down', act: () => void setDown(kind, id) }]),
          { name: hidden ? 'Show' : 'Hide', act: () => hide([id], !hidden) },
          { name: 'Show alone, or all again', act: () => showAlone(id) },
        ]),
    ...more,
    { name: 'Remove', act: () => void removeThing(kind, id) },
  ];
  return (
    <>
      {hidden && (
        <button
          type="button"
          aria-label={`Show ${name}`}
          title="Hidden: show it again"
          className="rounded px-1 text-faded hover:text-ink"
          onClick={() => hide([id], false)}
        >
          <svg width="16" height="12" aria-hidden>
            <path d="M1 6c4-5 10-5 14 0M3 11L13 1" fill="none" stroke="currentColor" strokeWidth="1.500" strokeLinecap="round" />
          </svg>
        </button>
      )}
      <Menu label={`More for ${name}`} items={items} />
      {row && (kind === 'bodies' || kind === 'colliders') && (
        <RowOf kind={kind} id={id} name={name} step={stepOf(kind, id)} onDone={() => setRow(false)} />
      )}
    </>
  );
}

/** A few actions behind three dots. */
export function Menu({ label, items }: { label: string; items: Item[] }) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        aria-label={label}
        className="grid size-6 shrink-0 place-items-center rounded text-faded hover:bg-woad-wash hover:text-ink"
      >
        <svg width="14" height="4" aria-hidden>
          <path d="M2 2h.01M7 2h.01M12 2h.01" stroke="currentColor" strokeWidth="2.500" strokeLinecap="round" />
        </svg>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={3}
          className="z-50 min-w-36 rounded-md border border-line-strong bg-raised p-1 shadow-md"
        >
          {items.map((i) => (
            <DropdownMenu.Item key={i.name} onSelect={i.act} className="rounded px-2 py-1 outline-none data-[highlighted]:bg-woad-wash">
              {i.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
