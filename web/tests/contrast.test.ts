import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

const css = readFileSync(new URL('../src/styles.css', import.meta.url), 'utf8');
const tokens = (theme: string): Record<string, string> =>
  Object.fromEntries(
    [
      ...css
        .split(`${theme} {`)[1]!
        .split('}')[0]!
        .matchAll(/--([\w-]+): (#[0-9a-f]{6})/g),
    ].map((m) => [m[1]!, m[2]!]),
  );

/** Relative luminance and contrast as WCAG 2.2 has them. */
const light = (hex: string) => {
  const [r, g, b] = [1, 3, 5].map((k) => {
    const c = parseInt(hex.slice(k, k + 2), 16) / 255;
    return c <= 0.040_45 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};
const contrast = (a: string, b: string) => {
  const [low, high] = [light(a), light(b)].sort((x, y) => x - y) as [number, number];
  return (high + 0.05) / (low + 0.05);
};

const GROUNDS = ['ground', 'raised', 'sunk', 'field', 'woad-wash', 'woad-wash-soft'];

describe.each([':root', '.dusk'])('%s can be read', (theme) => {
  const own = tokens(theme);
  it.each(['ink', 'faded', 'madder', 'weld', 'woad', 'moss', 'plum', 'rust'])('words in %s on every ground: 4.5', (name) => {
    for (const ground of GROUNDS) expect(contrast(own[name]!, own[ground]!), `${name} on ${ground}`).toBeGreaterThanOrEqual(4.5);
  });
  it('edges of fields and marks on every ground: 3', () => {
    for (const ground of GROUNDS) expect(contrast(own['line-strong']!, own[ground]!), ground).toBeGreaterThanOrEqual(3);
  });
  it('words on a main button: 4.5', () => {
    expect(contrast(own['on-madder']!, own['madder']!)).toBeGreaterThanOrEqual(4.5);
  });
});
