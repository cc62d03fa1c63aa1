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
export function asciiPairs(text: string): Pairs {
  let at = text.charCodeAt(0) === 0xef && text.charCodeAt(1) === 0xbb ? 3 : 0;
  let before = at;
  let lines = 0;
  const length = text.length;
  return {
    code: -1,
    value: '',
    next() {
      if (at >= length) return false;
      before = at;
      // The code: spaces, a sign, digits, then the end of the line.
      let code = 0;
      let digits = 0;
      let negative = false;
      let c = text.charCodeAt(at);
      while (c !== 10 && c !== 13 && at < length) {
        if (c >= 48 && c <= 57) {
          code = code * 10 + c - 48;
          digits++;
        } else if (c === 45) negative = true;
        else if (c !== 32 && c !== 9) throw badLine(lines + 1);
        c = text.charCodeAt(++at);
      }
      if (at >= length) {
        if (digits === 0) return false;
        throw new Unusable('cut-short', `The file ends in the middle, after line ${lines + 1}.`, 'Export it again, or copy it whole.');
      }
      if (digits === 0) {
        // Blank lines at the end are common.
        let rest = at;
        while (rest < length && text.charCodeAt(rest) <= 32) rest++;
        if (rest >= length) return false;
        throw badLine(lines + 1);
      }
      if (c === 13 && text.charCodeAt(at + 1) === 10) at++;
      at++;
      let end = at;
      c = text.charCodeAt(end);
      while (end < length && c !== 10 && c !== 13) c = text.charCodeAt(++end);
      this.code = negative ? -code : code;
      if (code === 5 || code === 100 || code === 330) this.value = '';
      else if (code < 1100 && isText[code] === 1) this.value = text.slice(at, end);
      else {
        const n = plainNumber(text, at, end);
        this.value = n === n ? n : lenient(text.slice(at, end), lines + 2);
      }
      if (c === 13 && text.charCodeAt(end + 1) === 10) end++;
      at = end + 1;
      lines += 2;
      return true;
    },
    back() {
      at = before;
      lines -= 2;
    },
    where: () => `line ${lines}`,
  };
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
  if (digits === 0 || digits > 15) return Number(text.slice(from, to));
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

function lenient(text: string, line: number): Value {
  // Some programs write a comma for the decimal point.
  const n = Number(text.trim().replace(',', '.'));
  if (Number.isFinite(n)) return n;
  if (/^[0-9A-F]+$/i.test(text.trim())) return text.trim();
  throw new Unusable(
    'bad-number',
    `Line ${line} should hold a number and holds "${text.trim().slice(0, 30)}".`,
    'Export it again from the program that made it.',
  );
}

/** @throws Unusable when the bytes end early. */
export function binaryPairs(bytes: Uint8Array): Pairs {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 22;
  let before = at;
  // Before R13 a code takes one byte (255 leads a longer one); later two. The first pair is 0 SECTION in both.
  const short = bytes[22] === 0 && bytes[23] !== 0;
  const need = (n: number) => {
    if (at + n > bytes.length) throw new Unusable('cut-short', `The file ends in the middle, at byte ${bytes.length}.`, 'Export it again, or copy it whole.');
  };
  return {
    code: -1,
    value: '',
    next() {
      if (at + 1 >= bytes.length) return false;
      before = at;
      let code: number;
      if (short) {
        code = bytes[at++];
        if (code === 255) {
          need(2);
          code = view.getInt16(at, true);
          at += 2;
        }
      } else {
        code = view.getInt16(at, true);
        at += 2;
      }
      this.code = code;
      if (code < 0 || code >= 1100)
        throw new Unusable('not-dxf', `Byte ${before} holds no DXF group code (${code}).`, 'Export it again from the program that made it.');
      if (code === 1004 || (code >= 310 && code <= 319)) {
        need(1);
        at += 1 + bytes[at];
        need(0);
        this.value = '';
      } else if (isText[code]) {
        let end = at;
        while (end < bytes.length && bytes[end] !== 0) end++;
        let text = '';
        for (let i = at; i < end; i++) text += String.fromCharCode(bytes[i]);
        this.value = text;
        at = end + 1;
      } else if (isFloat[code]) {
        need(8);
        this.value = view.getFloat64(at, true);
        at += 8;
      } else if (code >= 290 && code <= 299) {
        need(1);
        this.value = bytes[at++];
      } else if ((code >= 90 && code <= 99) || (code >= 420 && code <= 429) || (code >= 440 && code <= 459) || code === 1071) {
        need(4);
        this.value = view.getInt32(at, true);
        at += 4;
      } else if (code >= 160 && code <= 169) {
        need(8);
        this.value = Number(view.getBigInt64(at, true));
        at += 8;
      } else {
        need(2);
        this.value = view.getInt16(at, true);
        at += 2;
      }
      return true;
    },
    back() {
      at = before;
    },
    where: () => `byte ${at}`,
  };
}
