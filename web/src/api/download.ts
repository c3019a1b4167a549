/** Saving a file that the server makes, with how far it is. One that breaks off goes on where it was. */
import { Problem } from './http';

/** How often a file is gone on with before it is given up, and how long is waited for it, milliseconds. */
const TRIES = 6;
const wait = (tries: number) => new Promise((r) => setTimeout(r, 250 * 2 ** tries));
const AWAY = ['The server is away', 'It does not answer. Nothing stored is lost; start it again and go on.'] as const;

/** A file from a byte on; `tag` is what the first part of it said of itself. */
async function open(path: string, signal: AbortSignal, from: number, tag: string | null): Promise<Response> {
  const more = from > 0 ? `${path.includes('?') ? '&' : '?'}from=${from}&tag=${tag ?? ''}` : '';
  let response: Response;
  try {
    response = await fetch(`/api${path}${more}`, { signal });
  } catch (e) {
    if (signal.aborted) throw e;
    throw new Problem(0, ...AWAY);
  }
  if (!response.ok) {
    const told = await response.json().catch(() => null);
    throw new Problem(response.status, told?.title ?? 'The file can’t be made', told?.detail ?? `The server answered ${response.status}.`);
  }
  return response;
}

/** `onPart` hears the share that has come, 0 to 1, as far as the server could tell how long it will be. */
export async function download(path: string, signal: AbortSignal, onPart: (share: number) => void): Promise<void> {
  let response = await open(path, signal, 0, null);
  const { headers } = response;
  const about = Number(headers.get('nematon-bytes')) || 0;
  const tag = headers.get('nematon-tag');
  const parts: BlobPart[] = [];
  let size = 0;
  for (let tries = 0; ; tries++) {
    try {
      const reader = response.body!.getReader();
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        parts.push(value);
        size += value.length;
        tries = 0;
        if (about > 0) onPart(Math.min(0.99, size / about));
      }
      break;
    } catch (e) {
      if (signal.aborted || !tag || tries >= TRIES) throw signal.aborted ? e : new Problem(0, ...AWAY);
    }
    for (;;) {
      await wait(tries);
      try {
        response = await open(path, signal, size, tag);
        break;
      } catch (e) {
        if (signal.aborted || (e instanceof Problem && e.status !== 0) || ++tries >= TRIES) throw e;
      }
    }
  }
  const coded = /filename\*=UTF-8''([^;]+)/.exec(headers.get('content-disposition') ?? '')?.[1];
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob(parts));
  link.download = coded ? decodeURIComponent(coded) : 'nematon';
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
