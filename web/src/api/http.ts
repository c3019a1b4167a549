/** Asking the server, with its problems as errors that can be shown. */
import type { components } from './schema.generated';

type Schemas = components['schemas'];
export type Scene = Schemas['Scene'];
export type Body = Schemas['Body'];
export type Grip = Schemas['Grip'];
export type Choice = Schemas['Choice'];
export type Field = Schemas['Field'];
export type Project = Omit<Schemas['Project'], 'scene'> & { scene: Scene };
export type Summary = Schemas['Summary'];
export type Lane = Schemas['Lane'];
export type Stretch = Schemas['Stretch'];
export type Run = Schemas['Run'];
export type MeshHead = Schemas['MeshHead'];
export type ShapeHead = Schemas['ShapeHead'];
export type Fault = Schemas['Fault'];
export type Collider = Schemas['Collider'];
export type Touch = Schemas['Touch'];
export type Cost = Schemas['Cost'];
export type Snag = Schemas['FrameSnag'];
export type Touched = Schemas['Touched'];
export type Space = Schemas['Space'];
export type Skin = Schemas['Skin'];
export type Preset = Schemas['Preset'];

/** What the server said no to, or that it didn't answer. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
    readonly faults: Fault[] = [],
    readonly answer: unknown = null,
  ) {
    super(detail);
  }
}

async function problem(response: Response): Promise<Problem> {
  const text = await response.text();
  try {
    const body = JSON.parse(text);
    if (body.title) return new Problem(response.status, body.title, body.detail, body.faults);
    return new Problem(response.status, 'Changed elsewhere', 'The scene was changed in another window.', [], body);
  } catch {
    return new Problem(response.status, 'The server failed', text || `It answered ${response.status}.`);
  }
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch {
    throw new Problem(0, 'The server is away', 'It does not answer. Nothing stored is lost; start it again and go on.');
  }
  if (!response.ok) throw await problem(response);
  return response;
}

export async function getJson<T>(path: string): Promise<T> {
  return (await ask(path)).json();
}

export async function getBytes(path: string): Promise<ArrayBuffer> {
  return (await ask(path)).arrayBuffer();
}

export async function sendJson<T>(method: 'POST' | 'PATCH', path: string, body: unknown): Promise<T> {
  const init = { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) };
  return (await ask(path, init)).json();
}

export async function sendBytes<T>(path: string, body: Blob): Promise<T> {
  return (await ask(path, { method: 'POST', body })).json();
}

/** Saves a file that the server makes. */
export async function download(path: string): Promise<void> {
  const response = await ask(path);
  const said = response.headers.get('content-disposition') ?? '';
  const coded = /filename\*=UTF-8''([^;]+)/.exec(said)?.[1];
  const name = coded ? decodeURIComponent(coded) : 'nematon';
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
