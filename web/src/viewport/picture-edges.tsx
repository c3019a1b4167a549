/** The edges of the picture that a proof would be, and within them where words and deeds are safe. */
import { useEffect, useState } from 'react';
import { shapeOf, useView } from '../state/view';
import { stage } from './stage';

/** Shares of each side within which what happens, and what is written, is seen on any screen (SMPTE ST 2046-1, 2009). */
const SAFE = [
  ['deeds', 0.93],
  ['words', 0.9],
] as const;

export function PictureEdges() {
  const shown = useView((v) => v.edges);
  const shape = useView((v) => v.proofShape);
  const [at, setAt] = useState<{ w: number; h: number } | null>(null);
  useEffect(() => {
    const canvas = stage.canvas;
    if (!canvas || !shown) return;
    const look = () => setAt({ w: canvas.clientWidth, h: canvas.clientHeight });
    look();
    const watch = new ResizeObserver(look);
    watch.observe(canvas);
    return () => watch.disconnect();
  }, [shown]);
  if (!shown || !at) return null;
  const aspect = shapeOf(shape)?.aspect ?? at.w / at.h;
  const [w, h] = aspect > at.w / at.h ? [at.w, at.w / aspect] : [at.h * aspect, at.h];
  const around = (share: number) => ({
    left: (at.w - share * w) / 2,
    top: (at.h - share * h) / 2,
    width: share * w,
    height: share * h,
  });
  return (
    <svg
      role="img"
      aria-label="The edges of the picture, and within them where it is safe"
      data-testid="edges"
      className="pointer-events-none absolute inset-0 h-full w-full"
    >
      <path
        d={`M0 0H${at.w}V${at.h}H0Z M${(at.w - w) / 2} ${(at.h - h) / 2}v${h}h${w}v${-h}Z`}
        fill="var(--ink)"
        fillOpacity="0.45"
        fillRule="evenodd"
      />
      {SAFE.map(([name, share]) => {
        const r = around(share);
        return (
          <rect
            key={name}
            x={r.left}
            y={r.top}
            width={r.width}
            height={r.height}
            fill="none"
            stroke="var(--ground)"
            strokeOpacity={name === 'deeds' ? 0.9 : 0.6}
            strokeDasharray={name === 'deeds' ? undefined : '5 4'}
          />
        );
      })}
    </svg>
  );
}
