import { getJson, type Preset, type Skin } from './http';

export const readSkin = (project: number, collider: string) => getJson<Skin>(`/projects/${project}/colliders/${collider}/skin`);
export const readMatters = () => getJson<Preset[]>('/matters');
