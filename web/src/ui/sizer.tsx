import { useRef } from 'react';
import { setView, useView } from '../store/view';

const LIMITS = { bench: [250, 520], loom: [110, 380] } as const;

/** The edge of a panel, to drag or to move by arrow keys. */
export function Sizer({ edge }: { edge: 'bench' | 'loom' }) {
  const size = useView((s) => (edge === 'bench' ? s.benchWidth : s.loomHeight));
  const from = useRef<{ at: number; size: number } | null>(null);
  const [least, most] = LIMITS[edge];
  const put = (v: number) => {
    const to = Math.round(Math.min(most, Math.max(least, v)));
    setView(edge === 'bench' ? { benchWidth: to } : { loomHeight: to });
  };
  const place = edge === 'bench' ? 'left-0 top-0 h-full w-1.5 cursor-col-resize' : 'left-0 -top-1 h-1.5 w-full cursor-row-resize';
  return (
    <div
      role="separator"
      aria-label={edge === 'bench' ? 'Width of the bench' : 'Height of the loom'}
      aria-orientation={edge === 'bench' ? 'vertical' : 'horizontal'}
      aria-valuenow={size}
      aria-valuemin={least}
      aria-valuemax={most}
      tabIndex={0}
      className={`absolute z-10 hover:bg-woad/30 ${place}`}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = { at: edge === 'bench' ? e.clientX : e.clientY, size };
      }}
      onPointerMove={(e) => {
        const f = from.current;
        if (f) put(edge === 'bench' ? f.size + e.clientX - f.at : f.size + f.at - e.clientY);
      }}
      onPointerUp={() => (from.current = null)}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -10, ArrowDown: -10, ArrowRight: 10, ArrowUp: 10 }[e.key];
        if (by) {
          e.preventDefault();
          e.stopPropagation();
          put(size + by);
        }
      }}
    />
  );
}
