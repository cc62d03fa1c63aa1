import { Unusable } from '../../base/finding.ts';
import { decodedString } from './strings.ts';

/** A reference to another instance: #12. */
export class Ref {
  readonly id: number;
  constructor(id: number) {
    this.id = id;
  }
}

/** An enumeration: .MILLI. without its dots. */
export class Enumeration {
  readonly name: string;
  constructor(name: string) {
    this.name = name;
  }
}

/** A value with its type: LENGTH_MEASURE(2.). */
export class Typed {
  readonly type: string;
  readonly values: Value[];
  constructor(type: string, values: Value[]) {
    this.type = type;
    this.values = values;
  }
}

/** A parameter that a supertype derives: *. */
export const derived = Symbol('derived');

/** null is what was left out: $. Binary values come as their text. */
export type Value = number | string | null | typeof derived | Ref | Enumeration | Typed | Value[];

/** Entities at most; more than this is refused before memory is taken. */
const mostEntities = 5_000_000;
/** Lists in lists at most. */
const deepest = 64;
/** Damaged places that are told one by one. */
const mostTold = 20;

/** A place of the file that does not follow the format. Lines count from 1. */
export interface Damage {
  line: number;
  what: string;
}

const hash = 35, quote = 39, open = 40, close = 41, star = 42, plus = 43, comma = 44, minus = 45, dot = 46, slash = 47, semicolon = 59, equals = 61, dollar = 36, bang = 33, double = 34; // prettier-ignore
const isDigit = (c: number): boolean => c >= 48 && c <= 57;
const isSpace = (c: number): boolean => c === 32 || (c >= 9 && c <= 13);
/** Letters, digits, the low line, and the bang of a word of one's own. */
const isWord = (c: number): boolean => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || isDigit(c) || c === 95 || c === bang || c === minus;

/**
 * An exchange file in clear text, looked through once: which instances it has, of what type, and where. Parameters are read when they are asked for.
 * O(bytes); besides the bytes 14 bytes an instance are held. Source: ISO 10303-21, third edition, clauses 5 to 11.
 * @example const file = new Part21(bytes); file.ids('PRODUCT').map((id) => file.params(id)[1])
 */
export class Part21 {
  /** What stands before the data, by its names. */
  readonly header = new Map<string, Value[]>();
  /** How many instances there are, and the largest of their numbers. */
  readonly count: number;
  readonly largest: number;
  /** References to instances that are not there: how many different ones, and the first; 0 for none. */
  readonly broken: { count: number; first: number };
  /** Places that do not follow the format: how many, and the first ones. */
  readonly damage: { count: number; told: Damage[] } = { count: 0, told: [] };
  private readonly bytes: Uint8Array;
  private at = 0;
  private names: string[] = [];
  private kindOf = new Map<number, number[]>();
  private idList = new Uint32Array(1024);
  private kinds = new Uint16Array(1024);
  private starts = new Uint32Array(1024);
  private used = 0;
  private refs = new Uint32Array(4096);
  private refCount = 0;
  /** Where an instance is in the lists, by its number: one more, 0 for none; a map only where numbers lie far apart. */
  private readonly slots: Int32Array | null;
  private readonly index = new Map<number, number>();
  private byType: Map<string, number[]> | null = null;
  /** Where lines begin, once one was asked for. */
  private lineStarts: number[] | null = null;

  /** @throws Unusable when there are too many instances */
  constructor(bytes: Uint8Array) {
    this.bytes = bytes;
    this.kindNamed('');
    this.scan();
    this.count = this.used;
    this.largest = this.idList.subarray(0, this.used).reduce((a, b) => Math.max(a, b), 0);
    this.slots = this.largest <= 4 * this.used + 1_000_000 ? new Int32Array(this.largest + 1) : null;
    for (let k = 0; k < this.used; k++) {
      if (this.find(this.idList[k]) >= 0) this.tell(this.starts[k], `#${this.idList[k]} is there twice`);
      if (this.slots) this.slots[this.idList[k]] = k + 1;
      else this.index.set(this.idList[k], k);
    }
    const gone = new Set<number>();
    let first = 0;
    for (let k = 0; k < this.refCount; k++) {
      if (this.find(this.refs[k]) >= 0) continue;
      if (first === 0) first = this.refs[k];
      gone.add(this.refs[k]);
    }
    this.broken = { count: gone.size, first };
    this.refs = new Uint32Array(0);
  }

  /** Instances of a type, those in which it is one of several types too, in the order of the file. */
  ids(type: string): readonly number[] {
    this.byType ??= this.sorted();
    return this.byType.get(type) ?? [];
  }

  has(id: number): boolean {
    return this.find(id) >= 0;
  }

  /** Place of an instance in the lists; below 0 for none. */
  private find(id: number): number {
    if (this.slots) return id >= 0 && id < this.slots.length ? this.slots[id] - 1 : -1;
    return this.index.get(id) ?? -1;
  }

  /** Type of an instance; the types by their own order where it has several; empty when it is not there. */
  types(id: number): string[] {
    const k = this.find(id);
    if (k < 0) return [];
    return this.kinds[k] === 0 ? this.typesAt(k).map((t) => t.type) : [this.names[this.kinds[k]]];
  }

  /**
   * Parameters of an instance; of one of its types where it has several.
   * @throws Unusable when it is not there, is not of that type, or does not follow the format
   */
  params(id: number, type?: string): Value[] {
    const k = this.find(id);
    if (k < 0) throw new Unusable('no-such-instance', `The file has no #${id}.`, 'Export the design again.');
    const parts = this.typesAt(k);
    const found = type === undefined ? parts[0] : parts.find((p) => p.type === type);
    if (!found) throw new Unusable('other-type', `#${id} in line ${this.lineOf(this.starts[k])} is ${parts.map((p) => p.type).join(' and ')}, not ${type}.`, 'Export the design again.'); // prettier-ignore
    return found.values;
  }

  /** Line of an instance, from 1; 0 when it is not there. */
  line(id: number): number {
    const k = this.find(id);
    return k < 0 ? 0 : this.lineOf(this.starts[k]);
  }

  /** Instances by type. One of several types that can not be read is of none, and told. */
  private sorted(): Map<string, number[]> {
    const by = new Map<string, number[]>();
    for (let k = 0; k < this.used; k++)
      for (const type of new Set(this.kinds[k] === 0 ? this.severalAt(k) : [this.names[this.kinds[k]]])) {
        const list = by.get(type);
        if (list) list.push(this.idList[k]);
        else by.set(type, [this.idList[k]]);
      }
    return by;
  }

  private severalAt(k: number): string[] {
    try {
      return this.typesAt(k).map((t) => t.type);
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      this.tell(this.starts[k], `#${this.idList[k]} can not be read`);
      return [];
    }
  }

  private typesAt(k: number): Typed[] {
    this.at = this.starts[k];
    if (this.kinds[k] !== 0) return [this.typed(0)];
    const out: Typed[] = [];
    this.expect(open);
    for (this.space(); this.bytes[this.at] !== close; this.space()) out.push(this.typed(0));
    return out;
  }

  // The first look through.

  private scan(): void {
    const { bytes } = this;
    let section = '';
    for (this.space(); this.at < bytes.length; this.space()) {
      const from = this.at;
      if (bytes[from] === hash && section === 'DATA') {
        this.instance();
        continue;
      }
      const word = this.word();
      if (word === '') {
        this.tell(from, 'something that is no statement');
        this.toEnd();
        continue;
      }
      if (word === 'ENDSEC') section = '';
      else if (section === 'HEADER') this.headerEntry(from, word);
      else if (word.startsWith('END-ISO-10303-21')) break;
      else if (word === 'HEADER' || word === 'DATA' || section === '') section = word;
      this.toEnd();
    }
  }

  private headerEntry(from: number, word: string): void {
    try {
      this.at = from;
      this.header.set(word, this.typed(0).values);
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      this.tell(from, 'a statement of the header that can not be read');
    }
  }

  /** #12 = TYPE(...); what it refers to is noted; where it does not end, the next one is looked for. */
  private instance(): void {
    const { bytes } = this;
    const from = this.at;
    this.at++;
    const id = this.digits();
    this.space();
    if (id < 0 || bytes[this.at] !== equals) {
      this.tell(from, 'an instance without "="');
      this.toEnd();
      return;
    }
    this.at++;
    this.space();
    const start = this.at;
    const kind = bytes[start] === open ? 0 : this.keyword();
    if (kind < 0) {
      this.tell(from, `#${id} is of no type`);
      this.toEnd();
      return;
    }
    if (!this.toEnd(id)) this.tell(from, `#${id} does not end`);
    if (this.used >= mostEntities)
      throw new Unusable(
        'too-many-entities',
        `The file has more than ${mostEntities.toLocaleString('en')} entities, which is the most that are opened.`,
        'Export fewer parts at a time.',
      );
    if (this.used === this.idList.length) this.grow();
    this.idList[this.used] = id;
    this.kinds[this.used] = kind;
    this.starts[this.used++] = start;
  }

  /** Past the next semicolon that is in no string and no comment. False where another instance begins before it. @param within the instance that this is */
  private toEnd(within = -1): boolean {
    const { bytes } = this;
    while (this.at < bytes.length) {
      const c = bytes[this.at];
      if (c === semicolon) {
        this.at++;
        return true;
      }
      if (c === quote) {
        if (!this.pastString()) return false;
      } else if (c === double) {
        const end = bytes.indexOf(double, this.at + 1);
        this.at = end < 0 ? bytes.length : end + 1;
      } else if (c === slash && bytes[this.at + 1] === star) this.space();
      else if (c === hash && within >= 0) {
        const from = this.at++;
        const id = this.digits();
        if (id < 0) continue;
        const after = this.at;
        this.space();
        if (bytes[this.at] === equals) {
          this.at = from;
          return false;
        }
        this.at = after;
        this.refer(id);
      } else this.at++;
    }
    return false;
  }

  private pastString(): boolean {
    const { bytes } = this;
    for (let k = this.at + 1; k < bytes.length; k++) {
      if (bytes[k] !== quote) continue;
      if (bytes[k + 1] === quote) k++;
      else {
        this.at = k + 1;
        return true;
      }
    }
    this.at = bytes.length;
    return false;
  }

  private refer(id: number): void {
    if (this.refCount === this.refs.length) {
      const more = new Uint32Array(this.refs.length * 2);
      more.set(this.refs);
      this.refs = more;
    }
    this.refs[this.refCount++] = id;
  }

  private grow(): void {
    const size = this.idList.length * 2;
    const [ids, kinds, starts] = [new Uint32Array(size), new Uint16Array(size), new Uint32Array(size)];
    ids.set(this.idList);
    kinds.set(this.kinds);
    starts.set(this.starts);
    [this.idList, this.kinds, this.starts] = [ids, kinds, starts];
  }

  /** Number of the type whose name stands here, which is gone past; below 0 for none. */
  private keyword(): number {
    const { bytes } = this;
    const from = this.at;
    let sum = 17;
    while (isWord(bytes[this.at])) sum = (Math.imul(sum, 31) + upper(bytes[this.at++])) | 0;
    const length = this.at - from;
    if (length === 0 || isDigit(bytes[from])) return -1;
    for (const kind of this.kindOf.get(sum) ?? []) {
      const name = this.names[kind];
      let same = name.length === length;
      for (let k = 0; same && k < length; k++) same = name.charCodeAt(k) === upper(bytes[from + k]);
      if (same) return kind;
    }
    return this.kindNamed(this.text(from, this.at).toUpperCase(), sum);
  }

  private kindNamed(name: string, sum = 0): number {
    // Types beyond what fits are of no type: no schema has nearly so many.
    if (this.names.length > 65_000) return -1;
    const kind = this.names.push(name) - 1;
    const list = this.kindOf.get(sum);
    if (list) list.push(kind);
    else this.kindOf.set(sum, [kind]);
    return kind;
  }

  private tell(offset: number, what: string): void {
    this.damage.count++;
    if (this.damage.told.length < mostTold) this.damage.told.push({ line: this.lineOf(offset), what });
  }

  private lineOf(offset: number): number {
    if (!this.lineStarts) {
      this.lineStarts = [0];
      for (let k = this.bytes.indexOf(10); k >= 0; k = this.bytes.indexOf(10, k + 1)) this.lineStarts.push(k + 1);
    }
    const starts = this.lineStarts;
    let [low, high] = [0, starts.length];
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (starts[middle] <= offset) low = middle;
      else high = middle;
    }
    return low + 1;
  }

  // Parameters.

  private text(from: number, to: number): string {
    let out = '';
    for (let k = from; k < to; k++) out += String.fromCharCode(this.bytes[k]);
    return out;
  }

  private word(): string {
    const from = this.at;
    while (isWord(this.bytes[this.at])) this.at++;
    return this.text(from, this.at).toUpperCase();
  }

  /** The number of a reference; below 0 when there is none that fits. */
  private digits(): number {
    let value = 0;
    const from = this.at;
    for (; isDigit(this.bytes[this.at]); this.at++) value = value * 10 + this.bytes[this.at] - 48;
    return this.at === from || value > 0xffff_ffff ? -1 : value;
  }

  /** Past spaces and comments. */
  private space(): void {
    const { bytes } = this;
    for (;;) {
      while (isSpace(bytes[this.at])) this.at++;
      if (bytes[this.at] !== slash || bytes[this.at + 1] !== star) return;
      let k = this.at + 2;
      while (k < bytes.length && !(bytes[k] === star && bytes[k + 1] === slash)) k++;
      this.at = Math.min(bytes.length, k + 2);
    }
  }

  private bad(what: string): Unusable {
    return new Unusable('damaged-step', `Line ${this.lineOf(Math.min(this.at, this.bytes.length))} of the STEP file can not be read: ${what}.`, 'Export the design again.'); // prettier-ignore
  }

  private expect(c: number): void {
    this.space();
    if (this.bytes[this.at] !== c) throw this.bad(`"${String.fromCharCode(c)}" was awaited`);
    this.at++;
  }

  private typed(depth: number): Typed {
    this.space();
    const type = this.word();
    if (type === '') throw this.bad('a type was awaited');
    this.expect(open);
    return new Typed(type, this.list(depth));
  }

  /** Values up to the bracket that closes them, which is gone past. */
  private list(depth: number): Value[] {
    if (depth > deepest) throw this.bad(`lists stand more than ${deepest} deep in one another`);
    const out: Value[] = [];
    this.space();
    if (this.bytes[this.at] === close) {
      this.at++;
      return out;
    }
    for (;;) {
      out.push(this.value(depth));
      this.space();
      const c = this.bytes[this.at++];
      if (c === close) return out;
      if (c !== comma) throw this.bad('a comma or a closing bracket was awaited');
    }
  }

  private value(depth: number): Value {
    this.space();
    const { bytes } = this;
    const from = this.at;
    const c = bytes[from];
    switch (c) {
      case dollar:
        this.at++;
        return null;
      case star:
        this.at++;
        return derived;
      case open:
        this.at++;
        return this.list(depth + 1);
      case hash: {
        this.at++;
        const id = this.digits();
        if (id < 0) throw this.bad('a reference has no number');
        return new Ref(id);
      }
      case quote:
        if (!this.pastString()) throw this.bad('a text does not end');
        return decodedString(bytes.subarray(from + 1, this.at - 1));
      case double:
        return this.binary();
      case dot:
        return isDigit(bytes[from + 1]) ? this.number() : this.enumeration();
    }
    if (isDigit(c) || c === plus || c === minus) return this.number();
    return this.typed(depth + 1);
  }

  private binary(): string {
    const from = this.at;
    const end = this.bytes.indexOf(double, from + 1);
    if (end < 0) throw this.bad('a binary value does not end');
    this.at = end + 1;
    return this.text(from + 1, end);
  }

  private enumeration(): Enumeration {
    this.at++;
    const name = this.word();
    if (name === '' || this.bytes[this.at] !== dot) throw this.bad('an enumeration does not end');
    this.at++;
    return new Enumeration(name);
  }

  /** Source: ISO 10303-21, 6.4.1 and 6.4.2; digits before the dot may be missing as some write it. */
  private number(): number {
    const { bytes } = this;
    const from = this.at++;
    while (isDigit(bytes[this.at]) || bytes[this.at] === dot) this.at++;
    if (bytes[this.at] === 69 || bytes[this.at] === 101) {
      this.at++;
      if (bytes[this.at] === plus || bytes[this.at] === minus) this.at++;
      while (isDigit(bytes[this.at])) this.at++;
    }
    const text = this.text(from, this.at);
    const value = Number(text);
    if (!Number.isFinite(value)) throw this.bad(`"${text.slice(0, 40)}" is no number`);
    return value;
  }
}

/** A small letter as a capital one. */
const upper = (c: number): number => (c >= 97 && c <= 122 ? c - 32 : c);

const looked = new WeakMap<Uint8Array, Part21>();

/** An exchange file by its bytes, looked through once however often it is asked for while the bytes are held. */
export function exchangeFile(bytes: Uint8Array): Part21 {
  let file = looked.get(bytes);
  if (!file) looked.set(bytes, (file = new Part21(bytes)));
  return file;
}
