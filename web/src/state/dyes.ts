import type { Dye } from '../api/http';

export const DYES: Dye[] = ['linen', 'madder', 'weld', 'woad', 'moss', 'plum', 'rust'];
/** The dyes as cloth takes them on: paler than the dye itself. */
export const DYED: Record<Dye, string> = { linen: '#e6dcc4', madder: '#cf8a78', weld: '#d9ba6a', woad: '#8aa9bf', moss: '#a5b585', plum: '#b396b0', rust: '#c09a80' };
