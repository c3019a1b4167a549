import { getBytes, getJson, type Lane } from './http';

export const readLanes = (project: number) => getJson<{ revision: number; lanes: Lane[] }>(`/projects/${project}/lanes`);
export const readChunk = (chunk: number) => getBytes(`/chunks/${chunk}`);
