/** Numbers that may move, as a scene has them. What they are at a frame only the core works out. */
import type { Body, Node } from '../api/http';

export type Key = {
  frame: number;
  value: number;
  then?: string;
  arrive?: { frames: number; value: number };
  leave?: { frames: number; value: number };
};
export type Motion = { keys?: Key[]; formula?: string | null; before?: string; after?: string; seed?: number };
export type Value = number | Motion;

export const isMotion = (v: unknown): v is Motion =>
  typeof v === 'object' && v !== null && !Array.isArray(v) && ('keys' in v || 'formula' in v);

/** The plain number, or the first that is said of one that moves. */
export const plain = (v: unknown, otherwise = 0): number =>
  typeof v === 'number' ? v : isMotion(v) ? (v.keys?.[0]?.value ?? otherwise) : otherwise;

/** How a number moves, in words. */
export function motionWords(m: Motion): string {
  const n = m.keys?.length ?? 0;
  const keys = n > 0 ? `${n} ${n === 1 ? 'key' : 'keys'}` : '';
  const formula = m.formula ?? '';
  return [keys, formula && (n > 0 ? `plus ${formula}` : formula)].filter(Boolean).join(' ');
}

/** Whether a place moves: by its own numbers, or with what it stands on. */
export const nodeMoves = (n: Node | undefined) => Boolean(n && (n.on || [...(n.position ?? []), ...(n.turn ?? [])].some(isMotion)));

/** Plain numbers of a place that does not move. */
export const placeOf = (n: Node | undefined) => ({
  position: [0, 1, 2].map((k) => plain(n?.position?.[k])),
  turn: [0, 1, 2].map((k) => plain(n?.turn?.[k])),
});

/** What kind of body it is. */
export const kindOf = (b: Body) => Object.keys(b.kind)[0]!;

/** Whether it is loose pieces, that nothing holds together. */
export const isLoose = (b: Body) => 'drift' in b.kind;

/** What a cloth has of its kind; nothing of another kind. */
export const clothOf = (b: Body) => ('cloth' in b.kind ? b.kind.cloth : undefined);
