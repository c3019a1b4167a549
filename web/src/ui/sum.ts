/** Reads what a person types into a number: units and simple sums, as `1.2 m + 35 mm` or `3*(2+1)`. */

/** Factors to the unit of the field; a field in degrees also reads radians. */
const UNITS: Record<string, Record<string, number>> = {
  m: { m: 1, mm: 1e-3, cm: 1e-2, km: 1e3 },
  s: { s: 1, ms: 1e-3, min: 60 },
  'm/s': { 'm/s': 1, 'km/h': 1 / 3.6 },
  '°': { '°': 1, deg: 1, rad: 180 / Math.PI },
  'kg/m²': { 'kg/m²': 1, 'kg/m2': 1, 'g/m²': 1e-3, 'g/m2': 1e-3 },
};

/** The value, or `null` for what is no sum. */
export function readSum(text: string, unit: string): number | null {
  const units: Record<string, number> = { [unit]: 1, ...UNITS[unit] };
  const names = Object.keys(units).filter(Boolean).sort((a, b) => b.length - a.length);
  let rest = text.trim().replaceAll(',', '.').replaceAll('−', '-');
  const skip = () => (rest = rest.trimStart());
  const eat = (s: string) => (skip(), rest.startsWith(s) ? ((rest = rest.slice(s.length)), true) : false);

  const value = (): number | null => {
    if (eat('-')) {
      const v = value();
      return v === null ? null : -v;
    }
    let v: number | null;
    if (eat('(')) {
      v = sum();
      if (!eat(')')) return null;
    } else {
      skip();
      const number = /^\d*\.?\d+(?:e[+-]?\d+)?|^\d+\.?/i.exec(rest)?.[0];
      if (!number) return null;
      rest = rest.slice(number.length);
      v = Number(number);
    }
    const name = names.find((n) => eat(n));
    return v === null ? null : v * (name ? units[name]! : 1);
  };
  const chain = (next: () => number | null, ops: Record<string, (a: number, b: number) => number>) => {
    let v = next();
    for (;;) {
      const op = Object.keys(ops).find((o) => eat(o));
      if (v === null || !op) return v;
      const w = next();
      v = w === null ? null : ops[op]!(v, w);
    }
  };
  const product = () => chain(value, { '*': (a, b) => a * b, '/': (a, b) => a / b });
  const sum = (): number | null => chain(product, { '+': (a, b) => a + b, '-': (a, b) => a - b });

  const v = sum();
  return skip() === '' && v !== null && Number.isFinite(v) ? v : null;
}

/** Up to four significant digits, plainly where that is short. */
export function showNumber(v: number): string {
  if (v === 0) return '0';
  const size = Math.abs(v);
  if (size < 1e-3 || size >= 1e7) return v.toExponential(2).replace(/\.?0+e/, 'e').replace('e+', 'e');
  if (size >= 1000) return String(Math.round(v * 100) / 100);
  return String(Number(v.toPrecision(4)));
}
