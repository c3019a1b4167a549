/** What this window is at: the open project, whether the server answers, the one message, faults of the last edit. */
import { create } from 'zustand';

export type Message = {
  title: string;
  detail: string;
  tone: 'fault' | 'note';
  /** What would help, done by a press. */
  cure?: { label: string; act: () => void };
  /** It is of this revision of the scene, and goes with the next. */
  of?: number | undefined;
};

type Here = {
  /** The open project's number; 0 while there is none. */
  project: number;
  /** Whether the server answers. */
  here: boolean;
  message: Message | null;
  /** Faults of the last edit, by path; shown at the field. */
  faults: Record<string, string>;
  /** Runs again by itself after each edit. */
  keepRunning: boolean;
  /** How high the loom has to be for all of its lanes, pixels; 0 where that is not known yet. */
  loomNeeds: number;
};

export const useHere = create<Here>(() => ({ project: 0, here: true, message: null, faults: {}, keepRunning: false, loomNeeds: 0 }));
export const setHere = useHere.setState;

export function say(message: Message | null) {
  setHere({ message });
}
