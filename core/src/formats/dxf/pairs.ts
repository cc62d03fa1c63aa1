import { Unusable } from '../../base/finding.ts';

/** A value as it stands in the file: numbers as numbers, text as it came (bytes as characters 0 to 255). */
export type Value = number | string;

/** The pairs of group code and value of a DXF file, one after the other. Handles, owners and subclass marks (5, 330, 100) come empty. */
export interface Pairs {
  /** Moves on; false at the end of the file. */
  next(): boolean;
  code: number;
  value: Value;
  /** Takes the pair back, so that `next` gives it again. */
  back(): void;
  /** Where the reader stands, in words, for sentences. */
  where(): string;
}

/** What the type of a value is. Source: DXF Reference, group code value types. */
const isText = new Uint8Array(1100);
const isFloat = new Uint8Array(1100);
for (let c = 0; c < 1100; c++) {
  isFloat[c] = (c >= 10 && c <= 59) || (c >= 110 && c <= 149) || (c >= 210 && c <= 239) || (c >= 460 && c <= 469) || (c >= 1010 && c <= 1059) ? 1 : 0;
  isText[c] =
    c <= 9 ||
    (c >= 100 && c <= 102) ||
    c === 105 ||
    (c >= 300 && c <= 369) ||
    (c >= 390 && c <= 399) ||
    (c >= 410 && c <= 419) ||
    (c >= 430 && c <= 439) ||
    (c >= 470 && c <= 481) ||
    c === 999 ||
    (c >= 1000 && c <= 1009)
      ? 1
      : 0;
}

/** Whether bytes begin as binary DXF: 22 bytes that end so. Source: DXF Reference, binary DXF files. */
export function isBinaryDxf(bytes: Uint8Array): boolean {
  const end = ' Binary DXF\r\n\x1a\0';
  if (bytes.length < 22) return false;
  for (let i = 0; i < end.length; i++) if (bytes[22 - end.length + i] !== end.charCodeAt(i)) return false;
  return true;
}

/** @param text the bytes as characters 0 to 255. */
export const asciiPairs = (text: string): Pairs => new AsciiPairs(text);

const [lineFeed, carriageReturn] = [10, 13];

class AsciiPairs implements Pairs {
  code = -1;
  value: Value = '';
  private readonly text: string;
  private at: number;
  private before: number;
  private lines = 0;

  constructor(text: string) {
    this.text = text;
    // A byte order mark is passed over.
    this.at = this.before = text.charCodeAt(0) === 0xef && text.charCodeAt(1) === 0xbb ? 3 : 0;
  }

  next(): boolean {
    this.before = this.at;
    const code = this.readCode();
    if (code === null) return false;
    const end = this.lineEnd();
    this.code = code;
    this.value = this.readValue(Math.abs(code), end);
    this.at = end;
    this.passLineEnd();
    this.lines += 2;
    return true;
  }

  /** The code of a pair: spaces, a sign, digits, then the end of the line; null at the end of the file. */
  private readCode(): number | null {
    const { text } = this;
    const { length } = text;
    let code = 0;
    let digits = 0;
    let negative = false;
    let { at } = this;
    for (let c = text.charCodeAt(at); at < length && c !== lineFeed && c !== carriageReturn; c = text.charCodeAt(++at)) {
      if (c >= 48 && c <= 57) {
        code = code * 10 + c - 48;
        digits++;
      } else if (c === 45) negative = true;
      else if (c !== 32 && c !== 9) throw badLine(this.lines + 1);
    }
    this.at = at;
    if (digits === 0) {
      // Blank lines at the end are common.
      if (text.slice(at).trim() === '') return null;
      throw badLine(this.lines + 1);
    }
    if (at >= length) throw new Unusable('cut-short', `The file ends in the middle, after line ${this.lines + 1}.`, 'Export it again, or copy it whole.');
    this.passLineEnd();
    return negative ? -code : code;
  }

  private readValue(code: number, end: number): Value {
    const { text, at } = this;
    if (code === 5 || code === 100 || code === 330) return '';
    if (code < 1100 && isText[code] === 1) return text.slice(at, end);
    const n = plainNumber(text, at, end);
    return Number.isFinite(n) ? n : lenient(text.slice(at, end).trim(), isFloat[code] === 1, this.lines + 2);
  }

  private lineEnd(): number {
    const { text } = this;
    let end = this.at;
    for (let c = text.charCodeAt(end); end < text.length && c !== lineFeed && c !== carriageReturn; c = text.charCodeAt(++end));
    return end;
  }

  private passLineEnd(): void {
    if (this.text.charCodeAt(this.at) === carriageReturn && this.text.charCodeAt(this.at + 1) === lineFeed) this.at++;
    this.at++;
  }

  back(): void {
    this.at = this.before;
    this.lines -= 2;
  }

  where(): string {
    return `line ${this.lines}`;
  }
}

const powers = Array.from({ length: 23 }, (_, i) => 10 ** i);

/**
 * A number from characters. Up to 15 digits are one exact division of two exact numbers, so correctly rounded; longer ones and those
 * with an exponent go the usual way. Source: Clinger, How to read floating point numbers accurately, 1990 (fast path).
 */
function plainNumber(text: string, from: number, to: number): number {
  let i = from;
  while (i < to && text.charCodeAt(i) === 32) i++;
  let c = text.charCodeAt(i);
  const negative = c === 45;
  if (negative || c === 43) i++;
  let value = 0;
  let digits = 0;
  let decimals = -1;
  for (; i < to; i++) {
    c = text.charCodeAt(i);
    if (c >= 48 && c <= 57) {
      value = value * 10 + (c - 48);
      digits++;
      if (decimals >= 0) decimals++;
    } else if (c === 46 && decimals < 0) decimals = 0;
    else return Number(text.slice(from, to));
  }
  // Nothing at all is no number, and not 0.
  if (digits === 0) return NaN;
  if (digits > 15) return Number(text.slice(from, to));
  if (decimals > 0) value /= powers[decimals];
  return negative ? -value : value;
}

function badLine(line: number): Unusable {
  return new Unusable(
    'not-dxf',
    `Line ${line} should hold a DXF group code (a whole number) and does not.`,
    'Export it again as DXF, from the program that made it.',
  );
}

/** What is no plain number. @param place whether it is a length or a coordinate: those have to be numbers, or the drawing is another one */
function lenient(text: string, place: boolean, line: number): Value {
  // Some programs write a comma for the decimal point, or nothing where a flag would be 0; some flags are handles.
  const n = Number(text.replace(',', '.'));
  if (Number.isFinite(n) && (text !== '' || !place)) return n;
  if (!place && /^[0-9A-F]+$/i.test(text)) return text;
  throw new Unusable('bad-number', `Line ${line} should hold a number and holds "${text.slice(0, 30)}".`, 'Export it again from the program that made it.');
}

/** @throws Unusable when the bytes end early. */
export const binaryPairs = (bytes: Uint8Array): Pairs => new BinaryPairs(bytes);

/** How long the value of a group code is, bytes; what it is made of otherwise. Source: DXF Reference, group code value types. */
const isChunk = (code: number): boolean => code === 1004 || (code >= 310 && code <= 319);
const isByte = (code: number): boolean => code >= 290 && code <= 299;
const isLong = (code: number): boolean => (code >= 90 && code <= 99) || (code >= 420 && code <= 429) || (code >= 440 && code <= 459) || code === 1071;
const isLongLong = (code: number): boolean => code >= 160 && code <= 169;

class BinaryPairs implements Pairs {
  code = -1;
  value: Value = '';
  private readonly bytes: Uint8Array;
  private readonly view: DataView;
  private at = 22;
  private before = 22;
  /** Before R13 a code takes one byte (255 leads a longer one); later two. The first pair is 0 SECTION in both. */
  private readonly short: boolean;

  constructor(bytes: Uint8Array) {
    this.bytes = bytes;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.short = bytes[22] === 0 && bytes[23] !== 0;
  }

  next(): boolean {
    if (this.at + 1 >= this.bytes.length) return false;
    this.before = this.at;
    const code = this.readCode();
    if (code < 0 || code >= 1100)
      throw new Unusable('not-dxf', `Byte ${this.before} holds no DXF group code (${code}).`, 'Export it again from the program that made it.');
    this.code = code;
    this.value = this.readValue(code);
    return true;
  }

  private readCode(): number {
    if (!this.short) return this.view.getInt16(this.taken(2), true);
    const code = this.bytes[this.at++];
    return code === 255 ? this.view.getInt16(this.taken(2), true) : code;
  }

  private readValue(code: number): Value {
    if (isChunk(code)) {
      this.taken(this.bytes[this.taken(1)]);
      return '';
    }
    if (isText[code]) return this.readText();
    if (isFloat[code]) return this.view.getFloat64(this.taken(8), true);
    if (isByte(code)) return this.bytes[this.taken(1)];
    if (isLong(code)) return this.view.getInt32(this.taken(4), true);
    if (isLongLong(code)) return Number(this.view.getBigInt64(this.taken(8), true));
    return this.view.getInt16(this.taken(2), true);
  }

  private readText(): string {
    const from = this.at;
    const end = this.bytes.indexOf(0, from);
    this.taken((end < 0 ? this.bytes.length : end) - from + 1);
    let text = '';
    for (let i = from; i < this.at - 1; i++) text += String.fromCharCode(this.bytes[i]);
    return text;
  }

  /** Passes so many bytes over. @returns where they begin @throws Unusable when there are fewer */
  private taken(n: number): number {
    const from = this.at;
    if (from + n > this.bytes.length)
      throw new Unusable('cut-short', `The file ends in the middle, at byte ${this.bytes.length}.`, 'Export it again, or copy it whole.');
    this.at += n;
    return from;
  }

  back(): void {
    this.at = this.before;
  }

  where(): string {
    return `byte ${this.at}`;
  }
}
