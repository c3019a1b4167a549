import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import { cancel, run } from '../state/project';
import { isGoing, useLanes, useProject, useRuns } from '../state/queries';
import { clock } from '../stream/clock';
import { setView, useView } from '../state/view';
import { Button } from '../ui/button';
import { showKey } from '../ui/keys';
import { readSum } from '../ui/sum';

const ICONS: Record<string, { name: string; d: string; act: () => void }> = {
  first: { name: 'First frame (Home)', d: 'M2 1v10M11 1L4 6l7 5z', act: () => clock.halt(clock.first) },
  back: { name: `A frame back (${showKey('ArrowLeft')})`, d: 'M9 1L3 6l6 5', act: () => clock.step(-1) },
  on: { name: `A frame on (${showKey('ArrowRight')})`, d: 'M3 1l6 5-6 5', act: () => clock.step(1) },
};
const FRAME = 'grid h-[27px] min-w-[25px] place-items-center !px-1 !py-0';

function Icon({ of }: { of: keyof typeof ICONS }) {
  const { name, d, act } = ICONS[of]!;
  return (
    <Button className={FRAME} aria-label={name.replace(/ \(.*/, '')} hint={name} onClick={act}>
      <svg width="12" height="12" aria-hidden>
        <path d={d} fill={of === 'first' ? 'currentColor' : 'none'} stroke="currentColor" strokeWidth="1.600" strokeLinejoin="round" />
      </svg>
    </Button>
  );
}

export function Transport() {
  const playing = useSyncExternalStore(clock.subscribe, () => clock.playing);
  const loop = useSyncExternalStore(clock.subscribe, () => clock.loop);
  return (
    <div className="flex h-full items-center gap-1 overflow-hidden px-2.5">
      <Icon of="first" />
      <Icon of="back" />
      <Button
        className={FRAME}
        aria-label={playing ? 'Stop' : 'Play'}
        hint={playing ? 'Stop (Space)' : 'Play (Space)'}
        onClick={() => clock.toggle()}
      >
        <svg width="12" height="12" aria-hidden>
          <path d={playing ? 'M2 1h3v10H2zM7 1h3v10H7z' : 'M2 1l9 5-9 5z'} fill="currentColor" />
        </svg>
      </Button>
      <Icon of="on" />
      <Button
        className={`${FRAME} ${loop ? '' : 'text-faded'}`}
        aria-label="Loop"
        aria-pressed={loop}
        hint={loop ? 'Goes round' : 'Plays once'}
        onClick={() => clock.setLoop(!loop)}
      >
        <svg width="14" height="12" aria-hidden>
          <path
            d={loop ? 'M1 7a5 5 0 0 1 9-3.500l2 1.500M12.500 1v4h-4' : 'M1 6h11M9 2.500L12.500 6 9 9.500'}
            fill="none"
            stroke="currentColor"
            strokeWidth="1.600"
          />
        </svg>
      </Button>
      <CurvesButton />
      <FrameNumber />
      <span className="flex-1" />
      <RunButton />
    </div>
  );
}

function CurvesButton() {
  const on = useView((v) => v.curves);
  return (
    <Button
      className={`${FRAME} ${on ? '!bg-woad-wash' : ''}`}
      aria-label="Curves"
      aria-pressed={on}
      hint={on ? 'Puts the curves away (C)' : 'All that moves, as lines over the frames (C)'}
      onClick={() => setView({ curves: !on })}
    >
      <svg width="15" height="12" aria-hidden>
        <path d="M1 10c4 0 3-8 6.500-8s2.500 6 6.500 5" fill="none" stroke="currentColor" strokeWidth="1.600" strokeLinecap="round" />
      </svg>
    </Button>
  );
}

function RunButton() {
  // A take that is computed on the side keeps nobody from running the scene.
  const going = useRuns((all) => all.find((r) => isGoing(r) && r.take == null));
  const lacking = useLanes((all) => all.some((l) => l.counts.stale + l.counts.missing > 0)) ?? false;
  const revision = useProject((p) => p.revision);
  if (going && revision !== undefined && going.revision !== revision) {
    return (
      <span className="flex gap-1">
        <Button
          look="main"
          hint="The run is at the scene as it was before the last edit: ends it and runs what is lacking now"
          onClick={() => void run({ again: true })}
        >
          Again
        </Button>
        <Button hint="Stops; what has been computed stays" onClick={() => void cancel()}>
          Cancel
        </Button>
      </span>
    );
  }
  // Two buttons and not one that changes under the finger: a second press of Run cancels nothing.
  return going ? (
    <Button key="cancel" hint="Stops; what has been computed stays" onClick={() => void cancel()}>
      Cancel
    </Button>
  ) : (
    <Button
      key="run"
      look="main"
      disabled={!lacking}
      hint={lacking ? `Computes all frames that are not up to date (${showKey('Mod+Enter')})` : 'All frames are up to date'}
      onClick={() => void run()}
    >
      Run
    </Button>
  );
}

/** The frame, to read and to type. Written straight to the page: React does not render a frame. */
function FrameNumber() {
  const number = useRef<HTMLInputElement>(null);
  const rest = useRef<HTMLSpanElement>(null);
  const [typing, setTyping] = useState(false);
  useEffect(() => {
    const write = () => {
      if (number.current && document.activeElement !== number.current) number.current.value = String(clock.frame).padStart(3, '0');
      if (rest.current) {
        const seconds = `${((clock.frame - clock.first) / clock.rate).toFixed(2)} s`;
        const slow = clock.playing && clock.dropped > 2 && clock.pace < clock.rate - 1;
        rest.current.textContent = slow ? `${clock.pace} of ${Math.round(clock.rate)} /s` : seconds;
        rest.current.title = slow ? 'Frames are left out to keep time: so many are shown a second' : '';
      }
    };
    write();
    return clock.subscribe(write);
  }, []);
  return (
    <>
      <input
        ref={number}
        data-testid="frame"
        data-typing={typing ? 'yes' : undefined}
        aria-label="Frame on screen"
        className="num ml-1 h-6 w-[52px] rounded-[5px] border border-transparent bg-transparent px-1 !text-[15px] font-bold hover:border-line-strong focus:border-line-strong focus:bg-field"
        autoComplete="off"
        onFocus={(e) => e.target.select()}
        onChange={() => setTyping(true)}
        onBlur={(e) => {
          setTyping(false);
          e.target.value = String(clock.frame).padStart(3, '0');
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            const read = readSum(e.currentTarget.value, { unit: '', now: clock.frame, frames: { rate: clock.rate, zero: clock.first } });
            if ('value' in read) clock.halt(read.value);
            setTyping(false);
            e.currentTarget.blur();
          } else if (e.key === 'Escape') {
            setTyping(false);
            e.currentTarget.blur();
          }
        }}
      />
      <span ref={rest} className="num truncate text-faded" />
    </>
  );
}
