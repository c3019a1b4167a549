/** Strokes of a brush: each goes to the server dab by dab over a socket, one after the other, and what it changes comes back as it is made. No React. */

type Run<Told> = {
  /** Where the socket is, under the server's address. */
  path: string;
  /** What is said before the first dab. */
  first: (string | ArrayBufferView<ArrayBuffer>)[];
  onBytes: (bytes: ArrayBuffer) => void;
  /** Told how it ended: what the server says, or nothing where it was given up or lost. */
  onEnd: (told: Told | null) => Promise<void>;
};

export class Strokes<Dab, Told> {
  /** Dabs that wait for the stroke before to be kept, and for the server to be ready. */
  private waiting: Dab[] = [];
  private socket: WebSocket | null = null;
  /** The stroke before, until it is part of the scene: the next begins on it. */
  private before: Promise<unknown> = Promise.resolve();
  private ended: (() => void) | null = null;
  /** The stroke under way; given up it is not begun where it waits for the one before. */
  private now = { givenUp: false };

  /** Whether one is under way. */
  get going(): boolean {
    return this.ended !== null;
  }

  /** Begins one; what it says first is made once the one before is kept. */
  begin(make: () => Run<Told>) {
    this.waiting = [];
    const end = new Promise<void>((done) => (this.ended = done));
    const before = this.before;
    const mine = (this.now = { givenUp: false });
    this.before = (async () => {
      await before;
      if (!mine.givenUp) await this.go(make(), end);
    })();
  }

  /** Does something once the strokes before are kept, before the next. */
  after(what: () => Promise<unknown>) {
    const before = this.before;
    this.before = before.then(what);
  }

  dab(dab: Dab) {
    this.waiting.push(dab);
    this.flush();
  }

  /** Ends it and keeps it. */
  end() {
    this.ended?.();
    this.ended = null;
  }

  /** Leaves it as if it had not been; false where there is none. */
  cancel(): boolean {
    if (!this.ended) return false;
    this.now.givenUp = true;
    this.waiting = [];
    const socket = this.socket;
    this.socket = null;
    socket?.close();
    this.end();
    return true;
  }

  private flush() {
    if (this.waiting.length === 0 || this.socket?.readyState !== WebSocket.OPEN) return;
    this.socket.send(JSON.stringify({ dabs: this.waiting }));
    this.waiting = [];
  }

  /** One stroke from its first dab until it is part of the scene. */
  private async go({ path, first, onBytes, onEnd }: Run<Told>, end: Promise<void>) {
    const socket = new WebSocket(`ws://${location.host}/api/${path}`);
    socket.binaryType = 'arraybuffer';
    this.socket = socket;
    const told = await new Promise<Told | null>((done) => {
      socket.onopen = () => {
        for (const said of first) socket.send(said);
        this.flush();
        void end.then(() => {
          if (socket.readyState !== WebSocket.OPEN) return;
          if (this.socket === socket) this.flush();
          socket.send(JSON.stringify('done'));
        });
      };
      socket.onmessage = (m: MessageEvent) => {
        if (typeof m.data === 'string') done(JSON.parse(m.data) as Told);
        else onBytes(m.data as ArrayBuffer);
      };
      socket.onclose = () => done(null);
    });
    if (this.socket === socket) this.socket = null;
    socket.close();
    await onEnd(told);
  }
}
