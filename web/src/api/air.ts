import { sendJson } from './http';

export type Vec3 = [number, number, number];

export const askAir = (project: number, frame: number, places: Vec3[]) =>
  sendJson<{ velocities: Vec3[] }>('POST', `/projects/${project}/air`, { frame, places });
