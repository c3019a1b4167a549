import { getJson, sendJson, type Project, type Scene, type Summary } from './http';

/** One operation of RFC 6902. */
export type Op = { op: 'add' | 'replace'; path: string; value: unknown } | { op: 'remove'; path: string };

export const listProjects = () => getJson<Summary[]>('/projects');
export const readProject = (id: number) => getJson<Project>(`/projects/${id}`);
export const createProject = (scene: Scene) => sendJson<Project>('POST', '/projects', { scene });
export const editProject = (id: number, revision: number, label: string, patch: Op[]) =>
  sendJson<Project>('PATCH', `/projects/${id}`, { revision, label, patch });
export const turnProject = (id: number, revision: number, turn: 'undo' | 'redo') =>
  sendJson<Project>('POST', `/projects/${id}/${turn}`, { revision });
export const readSchema = () => getJson<Record<string, unknown>>('/schema');
