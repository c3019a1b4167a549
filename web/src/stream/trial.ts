/** Frames of an edit that is being tried while a number is dragged: shown as they come, and never kept. */
import { attempt } from '../api/attempt';
import type { Op } from '../api/http';

/** Frames that are tried. */
const FRAMES = 48;

type Listener = () => void;

class Trial {
  /** The latest frame that came; `null` while nothing is tried. */
  shown: { frame: number; places: Map<string, Float32Array> } | null = null;
  private ending: AbortController | null = null;
  private listeners = new Set<Listener>();
  private next: (() => void) | null = null;
  private waits: ReturnType<typeof setTimeout> | undefined;

  subscribe = (l: Listener) => {
    this.listeners.add(l);
    return () => void this.listeners.delete(l);
  };

  private tell() {
    for (const l of this.listeners) l();
  }

  /** Tries an edit as it would move a body; what was tried before ends. */
  start(project: number, body: string, patch: Op[]) {
    this.next = () => {
      this.ending?.abort();
      const ending = new AbortController();
      this.ending = ending;
      attempt(project, patch, body, FRAMES, ending.signal, (f) => {
        if (this.ending !== ending) return;
        this.shown = f;
        this.tell();
      }).catch(() => undefined);
    };
    // Each value a try of its own would never get to its first frames.
    this.waits ??= setTimeout(() => {
      this.waits = undefined;
      this.next?.();
    }, 120);
  }

  /** Shows a frame that came from elsewhere; none, and what is stored is seen again. */
  show(frame: Trial['shown']) {
    this.shown = frame;
    this.tell();
  }

  end() {
    clearTimeout(this.waits);
    this.waits = undefined;
    this.next = null;
    this.ending?.abort();
    this.ending = null;
    if (!this.shown) return;
    this.shown = null;
    this.tell();
  }
}

export const trial = new Trial();
