import { getJson, type Space } from './http';

export const readSpace = () => getJson<Space>('/space');
