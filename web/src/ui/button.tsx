import { Tooltip } from 'radix-ui';
import type { ButtonHTMLAttributes, ReactNode } from 'react';

type Props = ButtonHTMLAttributes<HTMLButtonElement> & {
  /** `main` is the one main action; `plain` has a border; `quiet` is a word that can be pressed. */
  look?: 'main' | 'plain' | 'quiet';
  /** What it does and its key, shown on hover. */
  hint?: string;
  children: ReactNode;
};

const LOOKS = {
  main: 'rounded-md border border-madder bg-madder px-3.5 py-1 font-semibold text-on-madder hover:brightness-95 disabled:border-line disabled:bg-sunk disabled:text-faded',
  plain:
    'rounded-md border border-line-strong bg-raised px-2.5 py-1 font-medium hover:bg-woad-wash-soft disabled:border-line disabled:bg-sunk disabled:text-faded',
  quiet: 'rounded px-1 font-semibold text-woad hover:underline disabled:text-faded disabled:no-underline',
};

export function Button({ look = 'plain', hint, className = '', children, ...rest }: Props) {
  const button = (
    <button type="button" className={`${LOOKS[look]} ${className}`} {...rest}>
      {children}
    </button>
  );
  if (!hint) return button;
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{button}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content sideOffset={5} className="z-50 max-w-64 rounded-md bg-ink px-2 py-1 text-[12px] text-ground">
          {hint}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
