/** The frame on screen, and playing at true speed. No React: who shows it subscribes. */

type Listener = () => void;
/** Frames that repeat: from one on so many, the last `blend` of which turn into those before the first. */
export type Looped = { from: number; length: number; blend: number };

class Clock {
  /** The frame that is asked for. */
  frame = 0;
  playing = false;
  loop = true;
  /** The scene's loop, where it has one. */
  looped: Looped | null = null;
  /** Frames that playing had to leave out since it began. */
  dropped = 0;
  /** Frames a second that were shown of late, while it plays. */
  pace = 0;
  first = 0;
  last = 0;
  rate = 24;
  /** The last frame that can be shown from stored frames; playing ends or turns there. */
  until = 0;
  private began = 0;
  private from = 0;
  private shown = 0;
  private lately: number[] = [];
  private listeners = new Set<Listener>();

  subscribe = (l: Listener) => {
    this.listeners.add(l);
    return () => void this.listeners.delete(l);
  };

  private tell() {
    for (const l of this.listeners) l();
  }

  setRange(first: number, last: number, rate: number) {
    if (first === this.first && last === this.last && rate === this.rate) return;
    Object.assign(this, { first, last, rate });
    this.go(this.frame);
  }

  setLooped(looped: Looped | null) {
    const same = JSON.stringify(looped) === JSON.stringify(this.looped);
    this.looped = looped;
    if (!same) this.tell();
  }

  /** Whether what plays is the loop: all of it is stored, and it goes round. */
  get goesRound(): Looped | null {
    const l = this.looped;
    return l && this.loop && l.from + l.length - 1 <= this.until ? l : null;
  }

  /** Goes to a frame; playing goes on from there. */
  go(frame: number) {
    this.frame = Math.min(this.last, Math.max(this.first, Math.round(frame)));
    this.restart();
    this.tell();
  }

  /** Stops, and goes to a frame. */
  halt(frame: number) {
    this.stop();
    this.go(frame);
  }

  step(by: number) {
    this.stop();
    this.go(this.frame + by);
  }

  toggle() {
    if (this.playing) return this.stop();
    const l = this.goesRound;
    if (l ? this.frame < l.from || this.frame >= l.from + l.length - 1 : this.frame >= Math.min(this.last, this.until))
      this.frame = l?.from ?? this.first;
    this.playing = true;
    this.dropped = 0;
    this.lately = [];
    this.restart();
    requestAnimationFrame(this.tick);
    this.tell();
  }

  stop() {
    this.playing = false;
    this.tell();
  }

  setLoop(loop: boolean) {
    this.loop = loop;
    this.tell();
  }

  private restart() {
    this.began = performance.now();
    this.from = this.frame;
    this.shown = this.frame;
  }

  private tick = () => {
    if (!this.playing) return;
    const l = this.goesRound;
    const end = l ? l.from + l.length - 1 : Math.max(this.first, Math.min(this.last, this.until));
    let frame = this.from + Math.floor(((performance.now() - this.began) / 1000) * this.rate);
    if (frame > end) {
      if (!this.loop) {
        this.frame = end;
        return this.stop();
      }
      this.frame = l?.from ?? this.first;
      this.restart();
      frame = this.frame;
    }
    if (frame !== this.frame) {
      this.dropped += Math.max(0, frame - this.shown - 1);
      this.shown = frame;
      this.frame = frame;
      const at = performance.now();
      this.lately = [...this.lately.filter((t) => t > at - 1000), at];
      this.pace = this.lately.length;
      this.tell();
    }
    requestAnimationFrame(this.tick);
  };
}

export const clock = new Clock();
