import { describe, expect, it } from 'vitest';
import { decode, writeFrame } from '../src/stream/chunks';

/** A chunk as the server sends it: a length, JSON filled up with blanks, then each channel filled up to four bytes. */
function packed(
  frames: number,
  channels: { name: string; origin: number[]; step: number; bits: 16 | 32; points: number[]; grid: number[] }[],
) {
  let text = JSON.stringify({ frames, channels: channels.map(({ grid: _, ...c }) => c) });
  text += ' '.repeat((4 - (text.length % 4)) % 4);
  const bytes: number[] = [...new Uint8Array(new Uint32Array([text.length]).buffer), ...new TextEncoder().encode(text)];
  for (const c of channels) {
    bytes.push(...new Uint8Array((c.bits === 16 ? Uint16Array.from(c.grid) : Uint32Array.from(c.grid)).buffer));
    while (bytes.length % 4 !== 0) bytes.push(0);
  }
  return Uint8Array.from(bytes).buffer;
}

const place = (points: number[], grid: number[], bits: 16 | 32 = 16) => ({
  name: 'position',
  origin: [1, 0, -1],
  step: 0.5,
  bits,
  points,
  grid,
});

describe('frames of a chunk', () => {
  it('have as many points in each, on either grid', () => {
    for (const bits of [16, 32] as const) {
      const chunk = decode(packed(2, [place([2], [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11], bits)]));
      const out = new Float32Array(6);
      expect(writeFrame(chunk, 1, out)).toBe(true);
      expect([...out]).toEqual([4, 3.5, 3, 5.5, 5, 4.5]);
      expect(writeFrame(chunk, 2, out)).toBe(false);
      expect(writeFrame(chunk, 0, new Float32Array(9))).toBe(false);
    }
  });

  it('put points that come and go where their numbers are, and nothing where they are not', () => {
    const id = { name: 'id', origin: [3], step: 1, bits: 16 as const, points: [0, 2, 1], grid: [0, 2, 2] };
    const chunk = decode(packed(3, [place([0, 2, 1], [0, 0, 0, 2, 2, 2, 4, 4, 4]), id]));
    const out = new Float32Array(18).fill(7);
    expect(writeFrame(chunk, 0, out)).toBe(true);
    expect([...out].every(Number.isNaN)).toBe(true);
    expect(writeFrame(chunk, 1, out)).toBe(true);
    expect([...out.slice(9, 12)]).toEqual([1, 0, -1]);
    expect([...out.slice(15, 18)]).toEqual([2, 1, 0]);
    expect([...out.slice(0, 9), ...out.slice(12, 15)].every(Number.isNaN)).toBe(true);
    expect(writeFrame(chunk, 2, out)).toBe(true);
    expect([...out.slice(15, 18)]).toEqual([3, 2, 1]);
    expect(Number.isNaN(out[9]!)).toBe(true);
    // Of a shape with fewer it is not.
    expect(writeFrame(chunk, 1, new Float32Array(9))).toBe(false);
  });
});
