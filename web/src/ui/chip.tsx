/** What adds something: a small picture of it, and its name. */
import type { ReactNode } from 'react';
import { Button } from './button';

export function Chip({
  picture,
  name,
  hint,
  onPress,
}: {
  picture: ReactNode;
  name: string;
  hint?: string | undefined;
  onPress: () => void;
}) {
  return (
    <Button className="flex items-center gap-1.5 !pl-1.5" {...(hint === undefined ? {} : { hint })} onClick={onPress}>
      {picture}
      {name}
    </Button>
  );
}

/** A drawing of a few strokes, 16 pixels wide and high. */
export const Strokes = ({ d }: { d: string }) => (
  <svg width="16" height="16" aria-hidden className="shrink-0">
    <path d={d} fill="none" stroke="var(--faded)" strokeWidth="1.4" strokeLinecap="round" strokeLinejoin="round" />
  </svg>
);
