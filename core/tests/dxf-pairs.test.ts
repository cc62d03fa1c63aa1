import { describe, expect, test } from 'vitest';
import { asciiPairs, binaryPairs, isBinaryDxf, type Pairs, type Value } from '../src/formats/dxf/pairs.ts';
import { readDxf } from '../src/formats/dxf/read.ts';
import { code } from './thrown.ts';
import { random } from './tube.data.ts';

const all = (pairs: Pairs): [number, Value][] => {
  const out: [number, Value][] = [];
  while (pairs.next()) out.push([pairs.code, pairs.value]);
  return out;
};
const ascii = (text: string): [number, Value][] => all(asciiPairs(text));

describe('pairs in text', () => {
  test.each(['\n', '\r\n', '\r'])('line ends %j, spaces and tabs before codes, blank lines at the end', (end) => {
    const lines = ['  0', 'SECTION', '\t10', ' 1.5', '70', '     3', '', '  ', ''];
    expect(ascii(lines.join(end))).toEqual([
      [0, 'SECTION'],
      [10, 1.5],
      [70, 3],
    ]);
  });
  test('a byte order mark is passed over; text keeps its spaces; handles, owners and subclass marks come empty', () => {
    expect(ascii('\xef\xbb\xbf1\n a b \n5\n1F\n100\nAcDbLine\n330\n2A\n')).toEqual([[1, ' a b '], [5, ''], [100, ''], [330, '']]); // prettier-ignore
  });
  test('a last value without the end of its line counts; a code without a value does not', () => {
    expect(ascii('10\n1.25')).toEqual([[10, 1.25]]);
    expect(code(() => ascii('0\nLINE\n10'))).toBe('cut-short');
    expect(ascii('0\nEOF\n\n \t\n')).toEqual([[0, 'EOF']]);
  });
  test('numbers of up to 15 digits and longer ones are the nearest there are', () => {
    const dice = random(3);
    const words = Array.from({ length: 2000 }, () => {
      const digits = Array.from({ length: 1 + Math.floor(dice() * 20) }, () => Math.floor(dice() * 10)).join('');
      const at = Math.floor(dice() * (digits.length + 1));
      return `${dice() < 0.5 ? '-' : ''}${digits.slice(0, at)}.${digits.slice(at)}${dice() < 0.2 ? `e${Math.floor(dice() * 40) - 20}` : ''}`;
    });
    expect(ascii(words.map((w) => `40\n${w}`).join('\n')).map(([, v]) => v)).toEqual(words.map(Number));
  });
  test('a comma for the decimal point is read', () => expect(ascii('10\n-12,5\n')).toEqual([[10, -12.5]]));
  test.each(['', '   ', '1F', 'ABC', '1.5mm', '--3', '1e999', 'NaN', 'Infinity'])('a coordinate %j is refused, and never 0', (word) => {
    expect(code(() => ascii(`0\nLINE\n10\n${word}\n20\n1\n`))).toBe('bad-number');
  });
  test('flags and counts may be empty, or a handle', () => {
    expect(ascii('70\n\n71\n  \n70\n1F\n')).toEqual([[70, 0], [71, 0], [70, '1F']]); // prettier-ignore
    expect(code(() => ascii('70\nyes\n'))).toBe('bad-number');
  });
  test.each(['x', '1.5', '0x5', 'LINE', '+'])('a code %j is none', (word) => expect(code(() => ascii(`0\nSECTION\n${word}\n5\n`))).toBe('not-dxf'));
  test('one may be taken back; the line is told', () => {
    const pairs = asciiPairs('0\nA\n0\nB\n');
    expect([pairs.next(), pairs.value, pairs.where()]).toEqual([true, 'A', 'line 2']);
    expect([pairs.next(), pairs.value, pairs.where()]).toEqual([true, 'B', 'line 4']);
    pairs.back();
    expect(pairs.where()).toBe('line 2');
    expect([pairs.next(), pairs.value, pairs.next()]).toEqual([true, 'B', false]);
  });
});

/** Binary DXF by hand. Source: DXF Reference, binary DXF files: the type of a value follows from its group code. */
class Binary {
  private readonly bytes: number[] = [...Buffer.from('maker-x Binary DXF\r\n\x1a\0', 'latin1')];
  private readonly short: boolean;
  constructor(short = false) {
    this.short = short;
  }
  private put(size: number, write: (v: DataView) => void): this {
    const view = new DataView(new ArrayBuffer(size));
    write(view);
    this.bytes.push(...new Uint8Array(view.buffer));
    return this;
  }
  code(c: number): this {
    if (!this.short) return this.put(2, (v) => v.setInt16(0, c, true));
    if (c < 255) return this.put(1, (v) => v.setUint8(0, c));
    return this.put(3, (v) => (v.setUint8(0, 255), v.setInt16(1, c, true)));
  }
  text = (c: number, s: string): this => (this.code(c), this.bytes.push(...Buffer.from(`${s}\0`, 'latin1')), this);
  double = (c: number, x: number): this => this.code(c).put(8, (v) => v.setFloat64(0, x, true));
  int16 = (c: number, x: number): this => this.code(c).put(2, (v) => v.setInt16(0, x, true));
  int32 = (c: number, x: number): this => this.code(c).put(4, (v) => v.setInt32(0, x, true));
  int64 = (c: number, x: number): this => this.code(c).put(8, (v) => v.setBigInt64(0, BigInt(x), true));
  byte = (c: number, x: number): this => this.code(c).put(1, (v) => v.setUint8(0, x));
  chunk = (c: number, n: number): this => (this.byte(c, n), this.bytes.push(...new Array<number>(n).fill(7)), this);
  get done(): Uint8Array {
    return Uint8Array.from(this.bytes);
  }
}

describe.each([false, true])('binary pairs, codes of one byte: %s', (short) => {
  const line = () => new Binary(short).text(0, 'SECTION').text(2, 'ENTITIES').text(0, 'LINE').text(8, 'a').double(10, 1).double(20, 2).double(11, 4).double(21, 6).text(0, 'ENDSEC').text(0, 'EOF'); // prettier-ignore
  test('every type of value', () => {
    const { done } = new Binary(short)
      .text(0, 'SECTION')
      .double(40, Math.PI)
      .double(140, -2)
      .double(1040, 5e-300)
      .int16(70, -7)
      .int16(1070, 32767)
      .int32(90, -70_000)
      .int32(420, 0xff8000)
      .int32(1071, 9)
      .int64(160, 2 ** 40)
      .byte(290, 1)
      .chunk(310, 200)
      .chunk(1004, 0)
      .text(1000, 'after it');
    expect(isBinaryDxf(done)).toBe(true);
    const values = all(binaryPairs(done));
    expect(values.map(([, v]) => v)).toEqual(['SECTION', Math.PI, -2, 5e-300, -7, 32767, -70_000, 0xff8000, 9, 2 ** 40, 1, '', '', 'after it']);
    expect(values.map(([c]) => c)).toEqual([0, 40, 140, 1040, 70, 1070, 90, 420, 1071, 160, 290, 310, 1004, 1000]);
  });
  test('a drawing; cut anywhere it is refused or, between pairs, is not a half of a pair', () => {
    const { done } = line();
    const file = readDxf(done);
    expect(file.drawing.layers[0].contours[0].segments).toEqual([{ kind: 'line', a: [1, 2], b: [4, 6] }]);
    const whole = all(binaryPairs(done));
    for (let n = 24; n < done.length; n++) {
      const pairs = binaryPairs(done.subarray(0, n));
      const got: [number, Value][] = [];
      try {
        while (pairs.next()) got.push([pairs.code, pairs.value]);
      } catch (thrown) {
        expect((thrown as { code: string }).code).toBe('cut-short');
      }
      expect(got).toEqual(whole.slice(0, got.length));
    }
  });
  test('a code that there is not', () => {
    expect(code(() => all(binaryPairs(new Binary(short).text(0, 'SECTION').int16(1100, 1).done)))).toBe('not-dxf');
    expect(all(binaryPairs(new Binary(short).text(0, 'SECTION').int16(1099, 1).done))).toHaveLength(2);
  });
});

test('binary or not, by its first 22 bytes', () => {
  const { done } = new Binary().text(0, 'EOF');
  expect(isBinaryDxf(done.subarray(0, 22))).toBe(true);
  expect(isBinaryDxf(done.subarray(0, 21))).toBe(false);
  expect(isBinaryDxf(Uint8Array.from(done, (b, i) => (i === 21 ? 1 : b)))).toBe(false);
});
