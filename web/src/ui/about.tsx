/** Where numbers come from, behind a small i. */
import { Popover } from 'radix-ui';

export function About({ label, children }: { label: string; children: string }) {
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={label}
        title={label}
        className="grid size-5 place-items-center rounded-full border border-line-strong text-[12px] leading-none font-bold text-faded hover:text-ink"
      >
        i
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="right"
          align="start"
          sideOffset={6}
          collisionPadding={8}
          className="z-40 w-72 rounded-md border border-line-strong bg-raised px-4 py-3 text-[12px] shadow-md"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
