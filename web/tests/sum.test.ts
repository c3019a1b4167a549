import { describe, expect, it } from 'vitest';
import { keptFormula, readSum, showNumber, shownFormula, shownIn } from '../src/ui/sum';

const read = (text: string, unit = 'm', now?: number) => readSum(text, { unit, now });

describe('what is typed into a number', () => {
  it.each([
    ['3.5', 3.5],
    ['1.2 m + 35 mm', 1.235],
    ['=3*(2+1)', 9],
    ['1,5', 1.5],
    ['-2 cm', -0.02],
    ['−4', -4],
    ['10 / 4', 2.5],
    ['12\u2009345', 12345],
    ['2 ft', 0.6096],
    ['1e-3', 0.001],
  ])('%s is %d m', (text, value) => expect(read(text)).toEqual({ value: expect.closeTo(value, 12) }));

  it('changes what is there', () => {
    expect(read('+= 0.1', 'm', 2)).toEqual({ value: 2.1 });
    expect(read('*=3', 'm', 2)).toEqual({ value: 6 });
    expect(read('/= 4', '', 2)).toEqual({ value: 0.5 });
  });

  it('reads turns in either unit, and time as frames', () => {
    expect(read('3.141592653589793 rad', '°')).toEqual({ value: expect.closeTo(180, 9) });
    const frames = { rate: 24, zero: 1001 };
    expect(readSum('2 s', { unit: '', frames })).toEqual({ value: 1049 });
    expect(readSum('1010', { unit: '', frames })).toEqual({ value: 1010 });
  });

  it.each(['', 'fast', '3 kg', '2 +', '(1', '1..2', '4 4', '1/0'])('refuses “%s” in words', (text) => {
    expect(read(text)).toEqual({ fault: expect.stringContaining('is not a number') });
  });

  it('asks which of two a comma between thousands means', () => {
    expect(read('1,234')).toEqual({ fault: expect.stringContaining('1234 or as 1.234') });
  });
});

describe('numbers as they are shown', () => {
  it.each([
    [0, '0'],
    [0.0009, '0.0009'],
    [0.00000123, '1.23e-6'],
    [1 / 3, '0.33333'],
    [1e8, '1e8'],
  ])('%d is %s', (v, shown) => expect(showNumber(v)).toBe(shown));

  it('reads back whatever it shows', () => {
    for (const v of [0.25, 12, 999.5, 12345.67, 1234567, -0.0042, 3.2e-7]) {
      const back = read(showNumber(v), '');
      expect(back).toEqual({ value: expect.any(Number) });
      expect(Math.abs((back as { value: number }).value - v)).toBeLessThanOrEqual(1e-4 * Math.abs(v) + 1e-9);
    }
  });

  it('shows formulas in the unit of their field and keeps them in that of the files', () => {
    for (const text of ['30 * sin(t)', 't', '(t + 1) * (t - 1)', '']) {
      expect(shownFormula(keptFormula(text, '°'), '°')).toBe(text);
    }
    expect(keptFormula('t', 'm')).toBe('t');
    expect(keptFormula('90', '°')).toBe('(90) * deg');
    expect(shownIn('rad')[0]).toBe('°');
  });
});
