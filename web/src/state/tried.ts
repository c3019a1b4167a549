/** A number that is dragged, as it would be: what tells of it says so before it is let go. Never kept. */
import { create } from 'zustand';

type Tried = {
  /** JSON Pointer of the number; empty while none is dragged. */
  path: string;
  /** In the units of the files. */
  value: number;
  /** Whose first frames are computed with it. */
  body: string | null;
};

const NONE: Tried = { path: '', value: 0, body: null };
export const useTried = create<Tried>(() => NONE);
export const tryOut = (path: string, value: number, body: string | null) => useTried.setState({ path, value, body });
export const letGo = () => useTried.setState(NONE);
/** What a number would be; nothing where it is not dragged. */
export const useTriedAt = (path: string) => useTried((t) => (t.path === path ? t.value : undefined));
