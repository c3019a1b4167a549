/** Hears what changes in a project, in this and other windows; connects anew when cut off. */

export type Notice =
  | { kind: 'scene'; project: number; revision: number }
  | { kind: 'run'; project: number; run: number }
  | { kind: 'all' };

/** `onNotice` also hears `all` after each gap: read everything again. */
export function follow(project: number, onNotice: (n: Notice) => void, onState: (here: boolean) => void): () => void {
  let ended = false;
  let socket: WebSocket | undefined;
  const connect = () => {
    if (ended) return;
    socket = new WebSocket(`ws://${location.host}/api/projects/${project}/events`);
    socket.onopen = () => {
      onState(true);
      onNotice({ kind: 'all' });
    };
    socket.onmessage = (m) => onNotice(JSON.parse(m.data));
    socket.onclose = () => {
      if (ended) return;
      onState(false);
      setTimeout(connect, 1000);
    };
  };
  connect();
  return () => {
    ended = true;
    socket?.close();
  };
}
