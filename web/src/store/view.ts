/** How the window looks: the step, what is chosen, what is shown, sizes of panels. Kept in the browser. */
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export const STEPS = ['Shape', 'Hold', 'Air', 'Contact', 'Run', 'Deliver'] as const;
export type Step = (typeof STEPS)[number];
export type Tool = 'look' | 'pick' | 'box';

type View = {
  step: Step;
  body: string | null;
  field: string | null;
  collider: string | null;
  grip: string | null;
  tool: Tool;
  /** Chosen points of the chosen body. */
  points: number[];
  wire: boolean;
  air: boolean;
  dusk: boolean;
  benchWidth: number;
  loomHeight: number;
  palette: boolean;
  keys: boolean;
};

export const useView = create<View>()(
  persist(
    (): View => ({
      step: 'Shape',
      body: null,
      field: null,
      collider: null,
      grip: null,
      tool: 'look',
      points: [],
      wire: false,
      air: true,
      dusk: false,
      benchWidth: 312,
      loomHeight: 148,
      palette: false,
      keys: false,
    }),
    {
      name: 'nematon-view',
      partialize: ({ step, wire, air, dusk, benchWidth, loomHeight }) => ({ step, wire, air, dusk, benchWidth, loomHeight }),
    },
  ),
);

export const setView = useView.setState;

export function goTo(step: Step) {
  setView({ step, tool: step === 'Hold' ? useView.getState().tool : 'look' });
}
