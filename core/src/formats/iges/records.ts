import { NotTaken } from '../../body/body.ts';
import { latin } from '../../base/latin.ts';

/** Parameters of one entity: numbers, strings, null where nothing stands. */
export type Field = number | string | null;

/** What the directory says of an entity. */
export interface Entry {
  type: number;
  form: number;
  /** Directory entry of its transformation matrix; 0 for none. */
  matrix: number;
  /** Number of a colour; below 0 the directory entry of a colour definition. */
  colour: number;
  label: string;
  /** 0 independent, 1 a piece of another entity, 2 a member of one, 3 both. */
  subordinate: number;
  /** Not to be shown. */
  hidden: boolean;
  /** 0 geometry, 1 annotation, 2 a definition that others show, 3 other, 4 for its place only, 5 in the parameter plane, 6 construction. */
  use: number;
}

interface Place extends Entry {
  /** Its first parameter line, from 0, and how many. */
  first: number;
  lines: number;
}

/** Entities of a file at most, and fields of one. */
const mostEntities = 2_000_000;
const mostFields = 4_000_000;

/**
 * Entities of an IGES file, by the numbers of their directory entries (odd, from 1). Parameters are read when they are asked for.
 * Source: IGES 5.3, 2.2.2 (free format), 2.2.4.4 (directory entry section), 2.2.4.5 (parameter data section).
 * @throws NotTaken where the lines are not as the format says
 * @example const file = new Records(bytes); file.entry(1).type; file.fields(1)
 */
export class Records {
  /** Numbers of all directory entries, in order. */
  readonly ids: number[] = [];
  private readonly places: Place[] = [];
  private readonly lines: string[] = [];
  private readonly known = new Map<number, Field[]>();
  private readonly delimiter: string;
  private readonly end: string;

  /** @param delimiters between parameters and at the end of a record, as the global section says them */
  constructor(bytes: Uint8Array, [delimiter, end]: readonly [string, string] = [',', ';']) {
    [this.delimiter, this.end] = [delimiter, end];
    const directory: string[] = [];
    for (const line of latin(bytes).split(/\r\n|\r|\n/)) {
      const letter = line[72];
      if (letter === 'D') directory.push(line);
      else if (letter === 'P') this.lines.push(line.slice(0, 64));
    }
    if (directory.length % 2 > 0 || directory.length > 2 * mostEntities) throw new NotTaken('damaged');
    for (let i = 0; i < directory.length; i += 2) this.ids.push(this.places.push(placeOf(directory[i], directory[i + 1])) * 2 - 1);
  }

  /** What the directory says of an entity. @throws NotTaken when there is none of that number */
  entry(id: number): Entry {
    return this.place(id);
  }

  /** Whether an entity's parameters were asked for. */
  wasRead(id: number): boolean {
    return this.known.has(id);
  }

  private place(id: number): Place {
    const place = id % 2 === 1 ? this.places[(id - 1) / 2] : undefined;
    if (!place) throw new NotTaken('no-entity');
    return place;
  }

  /** Parameters of an entity, without its type. */
  fields(id: number): Field[] {
    const known = this.known.get(id);
    if (known) return known;
    const { type, first, lines } = this.place(id);
    if (!(first >= 0 && lines > 0 && first + lines <= this.lines.length)) throw new NotTaken('damaged');
    const [own, ...fields] = this.read(this.lines.slice(first, first + lines).map((l) => l.padEnd(64)).join('')); // prettier-ignore
    if (own !== type) throw new NotTaken('damaged');
    this.known.set(id, fields);
    return fields;
  }

  private read(text: string): Field[] {
    const { delimiter, end } = this;
    const fields: Field[] = [];
    let at = 0;
    while (at < text.length) {
      while (text[at] === ' ') at++;
      const string = /^(\d{1,6})H/.exec(text.slice(at, at + 8));
      let stop: number;
      if (string) {
        const from = at + string[0].length;
        stop = from + Number(string[1]);
        if (stop > text.length) throw new NotTaken('damaged');
        fields.push(text.slice(from, stop));
        while (text[stop] === ' ') stop++;
      } else {
        stop = at;
        while (stop < text.length && text[stop] !== delimiter && text[stop] !== end) stop++;
        fields.push(numberFrom(text.slice(at, stop).trim()));
      }
      if (fields.length > mostFields) throw new NotTaken('damaged');
      if (text[stop] === end) return fields;
      if (text[stop] !== delimiter) break;
      at = stop + 1;
    }
    throw new NotTaken('damaged');
  }
}

/** A number as Fortran writes it; null for nothing. */
function numberFrom(text: string): number | null {
  if (text === '') return null;
  if (!/^[+-]?(\d+(\.\d*)?|\.\d+)([EeDd][+-]?\d+)?$/.test(text)) throw new NotTaken('no-number');
  const value = Number(text.replace(/[Dd]/, 'E'));
  if (!Number.isFinite(value)) throw new NotTaken('no-number');
  return value;
}

/** Two lines of ten fields of eight columns. */
function placeOf(one: string, two: string): Place {
  const field = (line: string, k: number) => line.slice(8 * (k - 1), 8 * k).trim();
  const whole = (text: string): number => {
    const n = text === '' ? 0 : Number(text);
    if (!Number.isInteger(n)) throw new NotTaken('damaged');
    return n;
  };
  const status = field(one, 9).padStart(8, '0');
  return {
    type: whole(field(one, 1)),
    first: whole(field(one, 2)) - 1,
    matrix: whole(field(one, 7)),
    colour: whole(field(two, 3)),
    lines: whole(field(two, 4)),
    form: whole(field(two, 5)),
    label: field(two, 8),
    hidden: status.slice(0, 2) === '01',
    subordinate: whole(status.slice(2, 4).replace(/\D/g, '')),
    use: whole(status.slice(4, 6).replace(/\D/g, '')),
  };
}

/** Parameters in the order of an entity, each asked for as what it has to be. */
export class Cursor {
  private readonly fields: readonly Field[];
  private at = 0;

  constructor(fields: readonly Field[]) {
    this.fields = fields;
  }

  /** The next as a number; what is left out is 0, as the format says. */
  number(): number {
    const value = this.fields[this.at++] ?? 0;
    if (typeof value !== 'number') throw new NotTaken('no-number');
    return value;
  }

  /** The next as a whole number from 0 up to a limit. */
  count(most: number): number {
    const n = this.number();
    if (!Number.isInteger(n) || n < 0 || n > most) throw new NotTaken('no-count');
    return n;
  }

  /** The next as the number of a directory entry; 0 for none. */
  entry(): number {
    return Math.abs(this.count(mostEntities * 2));
  }

  /** Many numbers. */
  numbers(count: number): Float64Array {
    if (this.at + count > this.fields.length) throw new NotTaken('damaged');
    return Float64Array.from({ length: count }, () => this.number());
  }

  point(): [number, number, number] {
    return [this.number(), this.number(), this.number()];
  }

  /** The next as text; empty when it is none. */
  text(): string {
    const value = this.fields[this.at++];
    return typeof value === 'string' ? value : '';
  }

  skip(count: number): void {
    this.at += count;
  }

  get left(): number {
    return this.fields.length - this.at;
  }
}
