import { useEffect, useRef, useSyncExternalStore } from 'react';
import { cancel, isGoing, run, useScene } from '../store/scene';
import { clock } from '../stream/clock';
import { Button } from '../ui/button';

export function Transport() {
  const { runs, lanes } = useScene();
  const playing = useSyncExternalStore(clock.subscribe, () => clock.playing);
  const loop = useSyncExternalStore(clock.subscribe, () => clock.loop);
  const going = runs.some(isGoing);
  const lacking = lanes.some((l) => l.counts.stale + l.counts.missing > 0);
  const icon = 'grid h-[27px] min-w-[29px] place-items-center !px-2 !py-0';
  return (
    <div className="flex items-center gap-1.5 border-r border-line-strong px-3">
      <Button className={icon} aria-label="First frame" hint="First frame (Home)" onClick={() => (clock.stop(), clock.go(clock.first))}>
        <svg width="12" height="12" aria-hidden><path d="M2 1v10M11 1L4 6l7 5z" fill="currentColor" stroke="currentColor" /></svg>
      </Button>
      <Button className={icon} aria-label={playing ? 'Stop' : 'Play'} hint={playing ? 'Stop (Space)' : 'Play (Space)'} onClick={() => clock.toggle()}>
        <svg width="12" height="12" aria-hidden><path d={playing ? 'M2 1h3v10H2zM7 1h3v10H7z' : 'M2 1l9 5-9 5z'} fill="currentColor" /></svg>
      </Button>
      <Button className={`${icon} ${loop ? '' : 'opacity-50'}`} aria-label="Loop" aria-pressed={loop} hint={loop ? 'Goes round' : 'Plays once'} onClick={() => clock.setLoop(!loop)}>
        <svg width="14" height="12" aria-hidden><path d="M1 7a5 5 0 0 1 9-3.500l2 1.500M12.500 1v4h-4" fill="none" stroke="currentColor" strokeWidth="1.600" /></svg>
      </Button>
      <FrameNumber />
      <span className="flex-1" />
      {going ? (
        <Button hint="Stops; what has been computed stays" onClick={() => void cancel()}>Cancel</Button>
      ) : (
        <Button look="main" disabled={!lacking} hint={lacking ? 'Computes all frames that are not true (Ctrl Enter)' : 'All frames are true'} onClick={() => void run()}>
          Run
        </Button>
      )}
    </div>
  );
}

/** Written straight to the page: React does not render a frame. */
function FrameNumber() {
  const number = useRef<HTMLElement>(null);
  const rest = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const write = () => {
      if (number.current) number.current.textContent = String(clock.frame).padStart(3, '0');
      if (rest.current) {
        const seconds = `${((clock.frame - clock.first) / clock.rate).toFixed(2)} s`;
        rest.current.textContent = clock.playing && clock.dropped > 0 ? `${clock.dropped} dropped` : seconds;
      }
    };
    write();
    return clock.subscribe(write);
  }, []);
  return (
    <>
      <b ref={number} data-testid="frame" className="num ml-1.5 !text-[15px]" />
      <span ref={rest} className="num whitespace-nowrap text-faded" />
    </>
  );
}
