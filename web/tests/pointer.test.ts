import { describe, expect, it } from 'vitest';
import { at, entries, facts, unitAt } from '../src/state/pointer';

const schema = {
  properties: {
    fields: { patternProperties: { '.': { $ref: '#/$defs/Field' } } },
    size: { title: 'Size', type: 'number', minimum: 0, maximum: 5, default: 1, unit: 'm' },
    turn: {
      title: 'Turn',
      type: 'array',
      minItems: 3,
      maxItems: 3,
      unit: 'rad',
      items: { type: 'number', minimum: -9 },
      default: [0, 0, 0],
    },
    mode: { title: 'Mode', oneOf: [{ const: 'near', description: 'Only near ones.' }, { const: 'all' }] },
    rest: { default: { scale: 2 }, $ref: '#/$defs/Rest' },
    name: { type: 'string' },
  },
  $defs: {
    Field: {
      properties: {
        by: { type: 'string' },
        act: { oneOf: [{ properties: { wind: { $ref: '#/$defs/Wind' } } }, { properties: { gravity: { $ref: '#/$defs/Gravity' } } }] },
      },
    },
    Wind: { properties: { speed: { title: 'Speed', type: 'number', unit: 'm/s', animatable: true } } },
    Gravity: { pushes: true, properties: { strength: { title: 'Strength', type: 'number', unit: 'm/s²' } } },
    Rest: { properties: { scale: { title: 'Scale', type: 'number' } } },
  },
};

describe('pointers', () => {
  it('go through keys with slashes and tildes, and end where there is nothing', () => {
    const scene = { 'a/b': { 'c~d': [1, { e: 2 }] } };
    expect(at(scene, '/a~1b/c~0d/1/e')).toBe(2);
    expect(at(scene, '/a~1b/nothing/1')).toBeUndefined();
    expect(at(scene, '')).toBe(scene);
  });
});

describe('what the schema says', () => {
  it('of a number, one of three, one behind references, and what it is where it is left out', () => {
    expect(facts(schema, '/size')).toMatchObject({ title: 'Size', unit: 'm', min: 0, max: 5, initial: 1, moves: false });
    expect(facts(schema, '/turn/1')).toMatchObject({ unit: 'rad', min: -9, initial: 0 });
    expect(facts(schema, '/fields/squall/act/wind/speed')).toMatchObject({ title: 'Speed', moves: true });
    expect(facts(schema, '/rest/scale')).toMatchObject({ title: 'Scale', initial: 2 });
    expect(facts(schema, '/nowhere')).toMatchObject({ title: '', unit: '', min: -Infinity });
    expect(facts(null, '/size').title).toBe('');
  });

  it('of rows: numbers, threes and words, in its order, and nothing that is neither', () => {
    const rows = entries(schema, '');
    expect(rows.map((r) => r.key)).toEqual(['size', 'turn', 'mode']);
    expect(rows[1]!.three).toBe(true);
    expect(rows[2]!.words).toEqual([
      { value: 'near', label: 'only near ones' },
      { value: 'all', label: 'all' },
    ]);
  });

  it('tells a speed in what its field does by it', () => {
    const by = (b?: string) => ({ fields: { squall: { by: b } } });
    const path = '/fields/squall/act/wind/speed';
    expect(unitAt(by(), schema, path)).toBe('m/s');
    expect(unitAt(by('push'), schema, path)).toBe('m/s²');
    expect(unitAt(by('force'), schema, path)).toBe('Pa');
  });
});
