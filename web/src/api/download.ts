/** Saving a file that the server makes, with how far it is. */
import { Problem } from './http';

/** `onPart` hears the share that has come, 0 to 1, as far as the server could tell how long it will be. */
export async function download(path: string, signal: AbortSignal, onPart: (share: number) => void): Promise<void> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, { signal });
  } catch (e) {
    if (signal.aborted) throw e;
    throw new Problem(0, 'The server is away', 'It does not answer. Nothing stored is lost; start it again and go on.');
  }
  if (!response.ok) {
    const told = await response.json().catch(() => null);
    throw new Problem(response.status, told?.title ?? 'The file can’t be made', told?.detail ?? `The server answered ${response.status}.`);
  }
  const about = Number(response.headers.get('nematon-bytes')) || 0;
  const parts: BlobPart[] = [];
  const reader = response.body!.getReader();
  let size = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    parts.push(value);
    size += value.length;
    if (about > 0) onPart(Math.min(0.99, size / about));
  }
  const coded = /filename\*=UTF-8''([^;]+)/.exec(response.headers.get('content-disposition') ?? '')?.[1];
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob(parts));
  link.download = coded ? decodeURIComponent(coded) : 'nematon';
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
