/** How the window looks: the step, what is chosen, what is shown, sizes of panels. Kept in the browser. */
import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import { useHere } from './here';

export const STEPS = ['Shape', 'Hold', 'Air', 'Contact', 'Run', 'Hand over'] as const;
export type Step = (typeof STEPS)[number];
export type Tool = 'look' | 'pick' | 'box' | 'lasso' | 'paint' | 'comb';
/** Whether a tool is a brush: it has a radius, a strength and an edge. */
export const isBrush = (tool: Tool) => tool === 'paint' || tool === 'comb';
/** What a comb does. */
export type Combs = 'lay' | 'raise' | 'part' | 'straighten' | 'even' | 'longer' | 'shorter' | 'trim';
/** What is seen of strands with hairs between them: those; those where nothing moves, and strands where things do; strands; a few of them. */
export type StrandsAs = 'hairs' | 'still' | 'strands' | 'few';
/** How air is drawn: as streaks about the bodies, or as arrows on a slice across an axis. */
export type AirAs = { as: 'streaks' | 'slice'; across: 0 | 1 | 2; at: number; alone: boolean };
/** What a brush does, in metres along the surface and weights. */
export type Brush = {
  does: 'add' | 'take' | 'smooth' | 'level' | 'flood';
  radius: number;
  strength: number;
  level: number;
  edge: 'soft' | 'straight' | 'round' | 'hard';
  mirror: 0 | 1 | 2 | null;
};
/** Shapes of a proof, by how many pixels they have; the view's own is none of them. */
export const PROOF_SHAPES = [
  { value: '1920x1080', label: '1920 × 1080' },
  { value: '1280x720', label: '1280 × 720' },
  { value: '1080x1080', label: '1080 × 1080' },
  { value: '1080x1920', label: '1080 × 1920' },
];
/** How wide and high a shape is, and how much wider than high; nothing of the view's own. */
export function shapeOf(shape: string): { width: number; height: number; aspect: number } | null {
  const [width, height] = shape.split('x').map(Number);
  return width && height ? { width, height, aspect: width / height } : null;
}
export type Arms = 'none' | 'translate' | 'rotate';

/** What is kept of a project: where one looks from, at which frame, and at which step one was. */
export type Seen = { camera?: { at: number[]; to: number[] }; frame?: number; hidden?: string[]; step?: Step };

type View = {
  step: Step;
  body: string | null;
  field: string | null;
  collider: string | null;
  handle: string | null;
  figure: string | null;
  camera: string | null;
  grip: string | null;
  /** The map that is shown on the chosen body, its open layer, and another that is hatched over it. */
  map: string | null;
  layer: number | null;
  hatch: string | null;
  brush: Brush;
  combs: Combs;
  /** The map by which a comb leaves strands as they are. */
  spares: string | null;
  strandsAs: StrandsAs;
  tool: Tool;
  /** Chosen points of the chosen body. */
  points: number[];
  /** What waits for a spot of a figure's surface to be pressed: the path of its thing and its name. */
  spotFor: { base: string; of: string } | null;
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
  /** Whether air is drawn, where that was asked for; else it is in the step Air alone. */
  streaks: boolean | null;
  /** Whether the place is drawn that the shot is in. */
  scenery: boolean;
  airAs: AirAs;
  /** The point whose motion is asked about, and the body that it is on. */
  why: { body: string; point: number } | null;
  /** The piece that was pressed, the body that it is of, and whether the camera goes along with it. */
  piece: { body: string; point: number; along: boolean } | null;
  /** The path of the curve whose points are being drawn in the view. */
  drawing: string | null;
  /** The arms of what has a place and is no thing of its own: fields and zones, by their path. */
  placing: string | null;
  dusk: boolean;
  /** Of a proof: its shape, and whether its edges are seen in the view. */
  proofShape: string;
  edges: boolean;
  benchWidth: number;
  loomHeight: number;
  /** The loom is as high as its lanes need; dragged, it is as high as it was left. */
  loomFits: boolean;
  /** Folded sections, by name. */
  folded: Record<string, boolean>;
  seen: Record<number, Seen>;
  palette: boolean;
  keys: boolean;
  /** A new project is being named. */
  naming: boolean;
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
      camera: null,
      keyAsDragged: false,
      grip: null,
      map: null,
      layer: null,
      hatch: null,
      brush: { does: 'add', radius: 0.15, strength: 1, level: 0.5, edge: 'soft', mirror: null },
      combs: 'lay',
      spares: null,
      strandsAs: 'hairs',
      tool: 'look',
      points: [],
      spotFor: null,
      through: false,
      bodyArms: 'none',
      colliderArms: 'translate',
      snap: false,
      curves: false,
      lines: [],
      wire: false,
      streaks: null,
      scenery: true,
      airAs: { as: 'streaks', across: 1, at: 0.5, alone: false },
      why: null,
      piece: null,
      drawing: null,
      placing: null,
      dusk: false,
      proofShape: 'view',
      edges: false,
      benchWidth: 312,
      loomHeight: 120,
      loomFits: true,
      folded: {},
      seen: {},
      palette: false,
      keys: false,
      naming: false,
    }),
    {
      name: 'nematon-view',
      partialize: ({
        brush,
        strandsAs,
        wire,
        scenery,
        airAs,
        dusk,
        proofShape,
        benchWidth,
        loomHeight,
        loomFits,
        folded,
        seen,
        through,
        snap,
        curves,
      }) => ({
        brush,
        strandsAs,
        wire,
        scenery,
        airAs,
        dusk,
        proofShape,
        benchWidth,
        loomHeight,
        loomFits,
        folded,
        seen,
        through,
        snap,
        curves,
      }),
    },
  ),
);
export const setView = useView.setState;

/** Whether air is drawn: it is where it is the subject, or was asked for. */
export const airSeen = (v: View) => v.streaks ?? v.step === 'Air';

export function goTo(step: Step) {
  see(useHere.getState().project, { step });
  setView({ step, spotFor: null, drawing: null, placing: null, why: null, tool: step === 'Hold' ? useView.getState().tool : 'look' });
}

/** Keeps something of how a project is seen. */
export function see(project: number, what: Partial<Seen>) {
  if (project > 0) setView((v) => ({ seen: { ...v.seen, [project]: { ...v.seen[project], ...what } } }));
}

export const hiddenIn = (project: number): string[] => useView.getState().seen[project]?.hidden ?? [];
