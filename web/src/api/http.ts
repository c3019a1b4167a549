/** Asking the server by its OpenAPI document, with its problems as errors that can be shown. */
import createClient from 'openapi-fetch';
import type { components, paths } from './schema.generated';

type Schemas = components['schemas'];
export type Scene = Schemas['Scene'];
export type Body = Schemas['Body'];
export type Node = Schemas['Node'];
export type TracksHead = Schemas['TracksHead'];
export type Grip = Schemas['Grip'];
export type Choice = Schemas['Choice'];
export type Map = Schemas['Map'];
export type Layer = Schemas['Layer'];
export type MapHead = Schemas['MapHead'];
export type Told = Schemas['Told'];
export type Said = Schemas['Said'];
export type Field = Schemas['Field'];
export type Joined = Schemas['Joined'];
export type Weather = Schemas['Weather'];
export type Outlined = Schemas['OutlineOf'];
export type Why = Schemas['Why'];
export type Dye = Schemas['Dye'];
export type Project = Omit<Schemas['Project'], 'scene'> & { scene: Scene };
export type Summary = Schemas['Summary'];
export type Lane = Schemas['Lane'];
export type Stretch = Schemas['Stretch'];
export type Run = Schemas['Run'];
export type Take = Schemas['Take'];
export type Wish = Partial<Schemas['Wish']>;
export type ShapeHead = Schemas['ShapeHead'];
export type HairsHead = Schemas['HairsHead'];
export type LimbsHead = Schemas['LimbsHead'];
export type CombDab = Schemas['CombDab'];
export type CombSaid = Schemas['CombSaid'];
export type CombTold = Schemas['CombTold'];
export type AttemptHead = Schemas['AttemptHead'];
export type Fault = Schemas['Fault'];
export type Collider = Schemas['Collider'];
export type RehearsalSaid = Schemas['RehearsalSaid'];
export type RehearsalTold = Schemas['RehearsalTold'];
export type Camera = Schemas['Camera'];
export type FinishHead = Schemas['FinishHead'];
export type Figure = Schemas['Figure'];
export type FigureLook = Schemas['FigureLook'];
export type Handle = Schemas['Handle'];
export type Parent = Schemas['Parent'];
export type Cost = Schemas['Cost'];
export type Snag = Schemas['FrameSnag'];
export type Touched = Schemas['Touched'];
export type Space = Schemas['Space'];
export type Skin = Schemas['Skin'];
export type Fibre = Schemas['Fibre'];
export type FibreFeel = Schemas['FibreHead'];
export type Preset = Schemas['Preset'];
export type Feel = Schemas['Feel'];
export type MeshLook = Schemas['MeshLook'];
export type MeshHead = Schemas['MeshHead'];
export type Notice = Schemas['Notice'];
export type Species = Schemas['Species'];
export type Silhouette = Schemas['Silhouette'];

/** One operation of RFC 6902. */
export type Op = { op: 'add' | 'replace'; path: string; value: unknown } | { op: 'remove'; path: string };

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

export const http = createClient<paths>({ baseUrl: '/', fetch: (r) => globalThis.fetch(r) });
http.use({
  async onResponse({ response }) {
    if (!response.ok) throw await problem(response);
  },
  onError({ error }) {
    if (error instanceof Problem || (error instanceof DOMException && error.name === 'AbortError')) return;
    return new Problem(0, 'The server is away', 'It does not answer. Nothing stored is lost; start it again and go on.');
  },
});

/** What a question was answered with; problems have been thrown by now. */
export async function told<T>(asked: Promise<{ data?: T }>): Promise<NonNullable<T>> {
  return (await asked).data as NonNullable<T>;
}

/** A body of bytes as `openapi-fetch` takes it. */
export const bytes = (body: Blob) => ({
  body: body as never,
  bodySerializer: (b: unknown) => b as BodyInit,
  headers: { 'content-type': 'application/octet-stream' },
});
