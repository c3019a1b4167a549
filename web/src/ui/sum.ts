/** Reads what a person types into a number: units and simple sums, as `1.2 m + 35 mm`, `=3*(2+1)` or `+= 0.1`. */

/** Factors to the unit of the field; a field in degrees also reads radians. */
const UNITS: Record<string, Record<string, number>> = {
  m: { m: 1, mm: 1e-3, cm: 1e-2, km: 1e3, in: 0.0254, ft: 0.3048, '″': 0.0254, '′': 0.3048 },
  s: { s: 1, ms: 1e-3, min: 60 },
  'm/s': { 'm/s': 1, 'km/h': 1 / 3.6, kn: 1852 / 3600, mph: 0.44704 },
  '°': { '°': 1, deg: 1, rad: 180 / Math.PI },
  'µN·m': { 'µN·m': 1, 'uN·m': 1, µNm: 1, 'mN·m': 1e3, 'N·m': 1e6, Nm: 1e6 },
  g: { g: 1, kg: 1000, mg: 1e-3 },
  'kg/m²': { 'kg/m²': 1, 'kg/m2': 1, 'g/m²': 1e-3, 'g/m2': 1e-3 },
};

/** Units of files that are shown as others: how they are called, and how many of them one is. */
const SHOWN: Record<string, [string, number]> = { rad: ['°', 180 / Math.PI], 'N·m': ['µN·m', 1e6], kg: ['g', 1000] };

/** The unit that a unit of the files is shown in, and the factor to it. */
export function shownIn(unit: string): [string, number] {
  return SHOWN[unit] ?? [unit, 1];
}

/** What a formula in a unit that is shown is times, in the units of the files. */
const TIMES: Record<string, string> = { '°': 'deg', 'µN·m': '0.000001', g: '0.001' };
/** What stands in brackets before an end, where these brackets are about all of it. */
function within(text: string, end: string): string | null {
  if (!text.startsWith('(') || !text.endsWith(`)${end}`)) return null;
  const inner = text.slice(1, -1 - end.length);
  let deep = 0;
  for (const c of inner) {
    deep += c === '(' ? 1 : c === ')' ? -1 : 0;
    if (deep < 0) return null;
  }
  return deep === 0 ? inner : null;
}
/** A formula as files keep it, of one that is typed in the unit its field shows; and back. */
export function keptFormula(text: string, unit: string): string {
  const by = TIMES[unit];
  if (!by || !text.trim()) return text;
  return within(text, ` / ${by}`) ?? `(${text}) * ${by}`;
}
export function shownFormula(text: string, unit: string): string {
  const by = TIMES[unit];
  if (!by || !text) return text;
  return within(text, ` * ${by}`) ?? `(${text}) / ${by}`;
}

/** How a field reads what is typed. */
export type Reading = {
  unit: string;
  /** What it is now, for `+=` and the like. */
  now?: number | undefined;
  /** In a field of frames: frames a second, and the frame at which time begins. */
  frames?: { rate: number; zero: number } | undefined;
};

export type Read = { value: number } | { fault: string };

/** The value, or what is wrong with the words. */
export function readSum(text: string, { unit, now, frames }: Reading): Read {
  const units: Record<string, number> = { [unit]: 1, ...UNITS[unit] };
  const names = Object.keys(units)
    .filter(Boolean)
    .sort((a, b) => b.length - a.length);
  // As numbers are printed here: thousands apart by a thin space.
  let rest = text
    .trim()
    .replace(/(\d)[\u2009\u202f\u00a0](?=\d{3})/g, '$1')
    .replaceAll('−', '-');
  const thousands = /(^|[^\d.,])(\d{1,3}),(\d{3})(?![\d,])/.exec(rest);
  if (thousands) {
    const [whole, part] = [thousands[2]!, thousands[3]!];
    return { fault: `“${whole},${part}” can be read as ${whole}${part} or as ${whole}.${part}: write the one that is meant` };
  }
  rest = rest.replaceAll(',', '.');
  const inSeconds = frames && /^\+?(-?\d*\.?\d+)\s*(s|ms|min)$/.exec(rest);
  if (inSeconds) {
    const seconds = Number(inSeconds[1]) * UNITS['s']![inSeconds[2]!]!;
    return { value: frames.zero + Math.round(seconds * frames.rate) };
  }
  const change = /^([+\-*/])=/.exec(rest)?.[1];
  if (change) rest = rest.slice(2);
  else if (rest.startsWith('=')) rest = rest.slice(1);
  const skip = () => (rest = rest.trimStart());
  const eat = (s: string) => (skip(), rest.startsWith(s) ? ((rest = rest.slice(s.length)), true) : false);

  const value = (): number | null => {
    if (eat('-')) {
      const v = value();
      return v === null ? null : -v;
    }
    if (eat('+')) return value();
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

  let v = sum();
  if (v !== null && change && now !== undefined) {
    v = { '+': now + v, '-': now - v, '*': now * v, '/': now / v }[change]!;
  }
  return skip() === '' && v !== null && Number.isFinite(v)
    ? { value: v }
    : { fault: `“${text}” is not a number${unit ? ` of ${unit}` : ''}` };
}

/** Up to five significant digits, plainly where that is short. */
export function showNumber(v: number): string {
  if (v === 0) return '0';
  const size = Math.abs(v);
  if (size < 1e-5 || size >= 1e7)
    return v
      .toExponential(2)
      .replace(/\.?0+e/, 'e')
      .replace('e+', 'e');
  if (size >= 1000) return apart(Math.round(v * 100) / 100);
  return String(Number(v.toPrecision(5)));
}

/** A number as it stands in a field that nobody types in: angles to a tenth of a degree. */
export const showRounded = (v: number, unit: string): string =>
  unit === '°' && Math.abs(v) >= 0.1 ? showNumber(Number(v.toFixed(1))) : showNumber(v);

/** Thousands apart by a thin space, from ten thousand on. */
function apart(v: number): string {
  const [whole, part] = String(v).split('.');
  const grouped = whole!.replace('-', '').length > 4 ? whole!.replace(/\B(?=(\d{3})+$)/g, '\u202f') : whole!;
  return part ? `${grouped}.${part}` : grouped;
}

/** A count with its word: `1 point`, `12 400 points`. */
export const count = (n: number, one: string, more = `${one}s`) => `${apart(n)} ${n === 1 ? one : more}`;
