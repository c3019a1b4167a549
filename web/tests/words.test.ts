import { readFileSync, readdirSync } from 'node:fs';
import { expect, test } from 'vitest';

/** Words that another took the place of: they stand on no button, row or fold of the page, and in no title of the schema. */
const GONE = [
  'Deliver',
  'Freeze',
  'Flood',
  'More',
  'Connected',
  'The others',
  'Row',
  'Through',
  'Axis column',
  'Began as',
  'Matter',
  'Apart',
].concat([
  ...[
    'Each weaker by',
    'Leaks in',
    'Closed from',
    'Refined',
    'Unrest',
    'Own place',
    'In a stretch',
    'All outside',
    'And another',
    'Scales',
  ],
  ...['Kept', 'Taken', 'Widens by', 'Air, skin and narrowing', 'Command line', 'How much', 'Take off', 'Take away', 'Holds', 'Acts'],
]);

const here = new URL('../', import.meta.url);
const all = (folder: string, ends: RegExp): string[] =>
  readdirSync(new URL(folder, here), { recursive: true, encoding: 'utf8' })
    .filter((f) => ends.test(f) && !f.includes('generated'))
    .map((f) => readFileSync(new URL(`${folder}/${f}`, here), 'utf8'));
const page = all('src', /\.tsx?$/).join('\n');
const core = all('../crates', /src\/.*\.rs$/).join('\n');

/** What a person reads: labels, names, titles, and words that stand alone between tags. */
const labels = new Set([
  ...[...page.matchAll(/(?:label|name|title|said)(?:=|: )["']([^"']+)["']/g)].map((m) => m[1]!),
  ...[...page.matchAll(/>\s*([A-Z][^<>{}\n]*?)\s*</g)].map((m) => m[1]!),
  ...[...page.matchAll(/^\s*([A-Z][\w ]+)\s*$/gm)].map((m) => m[1]!),
  ...[...page.matchAll(/^\s*'([^']+)',?$/gm)].map((m) => m[1]!),
  ...[...core.matchAll(/title = "([^"]+)"/g)].map((m) => m[1]!),
]);

test('no label is a word that another took the place of', () => {
  expect(GONE.filter((w) => labels.has(w))).toEqual([]);
});

test('what the glossary calls words of the page stands on it', () => {
  const told = readFileSync(new URL('../docs/glossary.md', here), 'utf8').split('## Words of the page')[1]!;
  const words = told.split('\n').filter((l) => l.startsWith('| ') && !l.startsWith('| word') && !l.startsWith('| ---'));
  expect(words.length).toBeGreaterThan(30);
  const text = page + core;
  const missing = words
    .flatMap((l) =>
      l
        .split('|')[1]!
        .split(',')
        .map((w) => w.trim()),
    )
    .filter((w) => !text.includes(w));
  expect(missing).toEqual([]);
});
