import { sendBytes, type MeshHead } from './http';

export const bringIn = (file: File) => sendBytes<MeshHead>(`/meshes?name=${encodeURIComponent(file.name)}`, file);
