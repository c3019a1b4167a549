import type { Body, Dye } from '../api/http';

export const DYES: Dye[] = ['linen', 'madder', 'weld', 'woad', 'moss', 'plum', 'rust'];
/** The dyes as cloth takes them on: paler than the dye itself. */
export const DYED: Record<Dye, string> = {
  linen: '#e6dcc4',
  madder: '#cf8a78',
  weld: '#d9ba6a',
  woad: '#8aa9bf',
  moss: '#a5b585',
  plum: '#b396b0',
  rust: '#c09a80',
};
/** Cloth that is wholly soaked in a dye. */
export const DYED_DEEP: Record<Dye, string> = {
  linen: '#8d7f5f',
  madder: '#a13a22',
  weld: '#b07f0c',
  woad: '#1f5078',
  moss: '#4d6a2b',
  plum: '#5c3759',
  rust: '#7c4a2c',
};

/** Where the picture is had that a body is seen with. */
export const pictureOf = (body: Body | undefined): string | null =>
  body?.picture && 'blob' in body.picture ? `/api/pictures/${body.picture.blob}` : null;
