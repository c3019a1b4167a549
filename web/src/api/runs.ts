import { getJson, sendJson, type Run } from './http';

export const listRuns = (project: number) => getJson<Run[]>(`/projects/${project}/runs`);
export const startRun = (project: number) => sendJson<Run>('POST', `/projects/${project}/runs`, {});
export const cancelRun = (run: number) => sendJson<Run>('POST', `/runs/${run}/cancel`, {});
