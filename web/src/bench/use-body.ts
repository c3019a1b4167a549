import { useScene } from '../state/queries';
import { useView } from '../state/view';

/** The chosen body, or the first. */
export function useBody(): string | null {
  const chosen = useView((v) => v.body);
  return useScene((s) => (chosen && s.bodies[chosen] ? chosen : (Object.keys(s.bodies)[0] ?? null))) ?? null;
}
