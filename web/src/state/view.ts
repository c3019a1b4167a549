/** How the window looks: the step, what is chosen, what is shown, sizes of panels. Kept in the browser. */
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export const STEPS = ['Shape', 'Hold', 'Air', 'Contact', 'Run', 'Deliver'] as const;
export type Step = (typeof STEPS)[number];
export type Tool = 'look' | 'pick' | 'box';
export type Arms = 'none' | 'translate' | 'rotate';

/** What is kept of a project: where one looks from, and at which frame. */
export type Seen = { camera?: { at: number[]; to: number[] }; frame?: number; hidden?: string[] };

type View = {
  step: Step;
  body: string | null;
  field: string | null;
  collider: string | null;
  handle: string | null;
  figure: string | null;
  grip: string | null;
  tool: Tool;
  /** Chosen points of the chosen body. */
  points: number[];
  /** Choices also take points that others hide. */
  through: boolean;
  /** The arms of the chosen body and of the chosen collider. */
  bodyArms: Arms;
  colliderArms: Arms;
  snap: boolean;
  /** Whether the curves are open over the lanes, and whose are drawn. */
  curves: boolean;
  lines: string[];
  /** Where a handle is let go becomes a key. */
  keyAsDragged: boolean;
  wire: boolean;
  air: boolean;
  dusk: boolean;
  benchWidth: number;
  loomHeight: number;
  /** Folded sections, by name. */
  folded: Record<string, boolean>;
  seen: Record<number, Seen>;
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
      handle: null,
      figure: null,
      keyAsDragged: false,
      grip: null,
      tool: 'look',
      points: [],
      through: false,
      bodyArms: 'none',
      colliderArms: 'translate',
      snap: false,
      curves: false,
      lines: [],
      wire: false,
      air: true,
      dusk: false,
      benchWidth: 312,
      loomHeight: 148,
      folded: {},
      seen: {},
      palette: false,
      keys: false,
    }),
    {
      name: 'nematon-view',
      partialize: ({ step, wire, air, dusk, benchWidth, loomHeight, folded, seen, through, snap, curves }) => ({ step, wire, air, dusk, benchWidth, loomHeight, folded, seen, through, snap, curves }),
    },
  ),
);
export const setView = useView.setState;

export function goTo(step: Step) {
  setView({ step, tool: step === 'Hold' ? useView.getState().tool : 'look' });
}

/** Keeps something of how a project is seen. */
export function see(project: number, what: Partial<Seen>) {
  if (project > 0) setView((v) => ({ seen: { ...v.seen, [project]: { ...v.seen[project], ...what } } }));
}

export const hiddenIn = (project: number): string[] => useView.getState().seen[project]?.hidden ?? [];
