import { Unusable, type Finding } from '../../base/finding.ts';
import { distance, fromBulge, type P2 } from '../../curves/segment.ts';
import type { Track } from '../gerber/write.ts';

export interface DrillTool {
  number: number;
  /** mm */
  diameter: number;
  /** ".AperFunction" of it. */
  use: readonly string[];
  holes: P2[];
  /** Paths of the middle of the bit. */
  slots: Track[][];
}

export interface DrillFile {
  /** Unit that the file states; null: none, so nobody knows how large its holes are. */
  unit: 'mm' | 'in' | null;
  attributes: ReadonlyMap<string, readonly string[]>;
  /** Plated or not, as the file itself says; null when it does not. */
  plated: boolean | null;
  tools: DrillTool[];
  findings: Finding[];
}

/** More holes than that are no board. */
const mostHoles = 2_000_000;

/**
 * Reads an XNC or other NC drill file: both units, both zero modes, tools, holes, slots by G85 and by routing, attributes in comments. Source: XNC Format
 * Specification, 2021; IPC-NC-349 (both from memory).
 * @throws Unusable in a sentence with the line for what can't be drilled
 * @example readDrill(bytes).tools.map((t) => [t.diameter, t.holes.length])
 */
export const readDrill = (bytes: Uint8Array): DrillFile => new DrillReader().read(new TextDecoder('latin1').decode(bytes));

/** Whether a text begins as drill files do. */
export function looksLikeDrill(text: string): boolean {
  for (let at = 0; at < text.length;) {
    const end = text.indexOf('\n', at);
    const line = text.slice(at, end < 0 ? undefined : end).trim();
    if (line !== '' && !line.startsWith(';')) return /^M48\b/.test(line);
    if (end < 0) return false;
    at = end + 1;
  }
  return false;
}

class DrillReader {
  private line = 0;
  private unit = 0;
  private zeros: 'leading' | 'trailing' | null = null;
  private digits: [number, number] | null = null;
  private readonly attributes = new Map<string, readonly string[]>();
  private use: readonly string[] = [];
  private plated: boolean | null = null;
  private readonly tools = new Map<number, DrillTool>();
  private tool: DrillTool | null = null;
  private head = false;
  private mode: 'drill' | 'rapid' | 1 | 2 | 3 = 'drill';
  private down = false;
  private path: Track[] = [];
  private x = 0;
  private y = 0;
  private ended = false;
  private count = 0;
  private readonly notes = new Map<string, number>();

  private bad(why: string): Unusable {
    return new Unusable('bad-drill', `Line ${this.line} of the drill file: ${why}.`, 'Export the file again; nothing was taken from it.');
  }
  private note(what: string): void {
    this.notes.set(what, (this.notes.get(what) ?? 0) + 1);
  }

  read(text: string): DrillFile {
    for (const raw of text.split('\n')) {
      this.line++;
      const line = raw.trim();
      if (line !== '') this.one(line);
    }
    if (!this.ended) this.note('its end (M30) is missing: it may be cut off');
    if (this.down) this.note('a slot is open at the end');
    const unit = this.unit === 0 ? null : this.unit === 1 ? 'mm' : 'in';
    if (unit === null) this.note('it states no unit, so nobody knows how large its holes are');
    return { unit, attributes: this.attributes, plated: this.platedSaid(), tools: [...this.tools.values()], findings: [...this.notes].map(noteOf) };
  }

  private platedSaid(): boolean | null {
    const [said] = this.attributes.get('.FileFunction') ?? [];
    return said === 'Plated' ? true : said === 'NonPlated' ? false : this.plated;
  }

  private one(line: string): void {
    if (line[0] === ';') return this.comment(line);
    if (this.ended) return this.note('something stands behind its end');
    if (line === 'M48') {
      this.head = true;
      return;
    }
    if (line === '%' || line === 'M95') {
      this.head = false;
      return;
    }
    if (line === 'M30' || line === 'M00') {
      this.ended = true;
      return;
    }
    const known = this.head ? this.header(line) : this.command(line);
    if (!known) this.place(line);
  }

  private comment(line: string): void {
    const m = /^;\s*#@!\s*T([FAD])(.*)$/.exec(line);
    if (!m) {
      const type = /TYPE=(NON_)?PLATED/i.exec(line);
      if (type) this.plated = type[1] === undefined;
      return;
    }
    const [name, ...fields] = m[2].split(',');
    if (m[1] === 'F') this.attributes.set(name, fields);
    else if (m[1] === 'A' && name === '.AperFunction') this.use = fields;
    else if (m[1] === 'D') this.use = [];
  }

  private header(line: string): boolean {
    const unit = /^(METRIC|INCH)\b(.*)$/.exec(line);
    if (unit) {
      this.unit = unit[1] === 'METRIC' ? 1 : 25.4;
      const more = unit[2];
      if (/LZ/.test(more)) this.zeros = 'leading';
      if (/TZ/.test(more)) this.zeros = 'trailing';
      const shape = /,(0+)\.(0+)/.exec(more);
      if (shape) this.digits = [shape[1].length, shape[2].length];
      return true;
    }
    if (/^(FMAT|VER|ICI|DETECT|ATC|BLKD|DN|SBK|SG|OM48|UP|ZC|ZA|RC|TCST|AFS|CCW|CP|M71|M72|G90|;)/.test(line)) {
      if (line.startsWith('ICI') && /ON/.test(line)) throw this.bad('its places are steps from hole to hole, which are not read');
      if (line === 'M71' || line === 'M72') this.unit = line === 'M71' ? 1 : 25.4;
      return true;
    }
    return this.command(line);
  }

  private command(line: string): boolean {
    const t = /^T(\d+)((?:[CFSHBZ][-+.\d]+)*)$/.exec(line);
    if (t) {
      this.choose(Number(t[1]), /C([.\d]+)/.exec(t[2])?.[1] ?? null);
      return true;
    }
    const simple = simpleOf[line];
    if (simple) {
      simple.call(this as unknown as InnerDrill);
      return true;
    }
    if (/^(G4[012]|G9[023]|M0[1-9]|M97|M98|M99|F\d|S\d)/.test(line)) {
      if (/^G4[12]/.test(line)) this.note('its bit runs beside the path that it states (G41, G42), which is not followed');
      if (/^G91/.test(line)) throw this.bad('its places are steps from hole to hole, which are not read');
      return true;
    }
    if (/^R\d|^M25|^M02X/.test(line)) throw this.bad('it repeats holes by a pattern, which is not read');
    return false;
  }

  private choose(number: number, size: string | null): void {
    if (size !== null) {
      if (this.unit === 0) throw this.bad('a tool is defined before the unit');
      const diameter = Number(size) * this.unit;
      if (!(diameter >= 0 && diameter < 1000)) throw this.bad(`tool ${number} has no size`);
      const known = this.tools.get(number);
      if (known) known.diameter = diameter;
      else this.tools.set(number, { number, diameter, use: this.use, holes: [], slots: [] });
    }
    if (this.head) return;
    if (number === 0) {
      this.tool = null;
      return;
    }
    const found = this.tools.get(number);
    if (!found) throw this.bad(`tool ${number} is not defined`);
    this.tool = found;
  }

  // What the plain words of the table below do.
  drillMode(): void {
    this.mode = 'drill';
  }
  plunge(): void {
    this.down = true;
    this.path = [];
  }
  retract(): void {
    if (this.down && this.path.length > 0) this.used().slots.push(this.path);
    this.down = false;
    this.path = [];
  }
  metric(): void {
    this.unit = 1;
  }
  inches(): void {
    this.unit = 25.4;
  }

  private used(): DrillTool {
    if (!this.tool) throw this.bad('something is drilled before a tool was chosen');
    if (++this.count > mostHoles) throw this.bad(`it has more than ${mostHoles.toLocaleString('en')} holes`);
    return this.tool;
  }

  private place(line: string): void {
    const m = /^(?:G0?([01235]))?((?:[XYAIJ][-+]?[.\d]+)*)(?:G85((?:[XY][-+]?[.\d]+)*))?$/.exec(line);
    if (!m || line === '') throw this.bad(`"${line.slice(0, 30)}" is nothing that can be drilled`);
    const [, g, first, second] = m;
    if (g) this.mode = modes[g];
    const p = this.words(first);
    const to: P2 = [p.X ?? this.x, p.Y ?? this.y];
    if (line.includes('G85')) {
      const q = this.words(second ?? '');
      const end: P2 = [q.X ?? to[0], q.Y ?? to[1]];
      this.used().slots.push([{ kind: 'line', a: to, b: end }]);
      [this.x, this.y] = end;
      return;
    }
    if (first !== '') this.move(to, p);
  }

  private move(to: P2, p: Partial<Record<string, number>>): void {
    if (this.mode === 'drill') this.used().holes.push(to);
    else if (this.mode !== 'rapid' && this.down) this.route(to, p);
    else if (this.mode !== 'rapid') this.note('the bit is moved without being in the board');
    [this.x, this.y] = to;
  }

  private route(to: P2, p: Partial<Record<string, number>>): void {
    const from: P2 = [this.x, this.y];
    if (this.mode === 1) {
      if (distance(from, to) > 0) this.path.push({ kind: 'line', a: from, b: to });
      return;
    }
    const ccw = this.mode === 3;
    const chord = distance(from, to);
    let bulge: number;
    if (p.A !== undefined) {
      const r = Math.max(p.A, chord / 2);
      bulge = Math.tan(Math.asin(Math.min(1, chord / 2 / r)) / 2);
    } else {
      const c: P2 = [from[0] + (p.I ?? 0), from[1] + (p.J ?? 0)];
      let sweep = Math.atan2(to[1] - c[1], to[0] - c[0]) - Math.atan2(from[1] - c[1], from[0] - c[0]);
      if (!ccw) sweep = -sweep;
      while (sweep <= 1e-12) sweep += 2 * Math.PI;
      if (chord < 1e-9 || sweep > 1.99 * Math.PI) {
        const r = distance(c, from);
        const start = Math.atan2(from[1] - c[1], from[0] - c[0]);
        this.path.push({ kind: 'arc', centre: c, radius: r, start, sweep: (ccw ? 1 : -1) * sweep });
        return;
      }
      bulge = Math.tan(sweep / 4);
    }
    if (chord > 0) this.path.push(fromBulge(from, to, ccw ? bulge : -bulge) as Track);
  }

  private words(text: string): Partial<Record<string, number>> {
    const out: Partial<Record<string, number>> = {};
    for (const [, letter, figure] of text.matchAll(/([XYAIJ])([-+]?[.\d]+)/g)) out[letter] = this.figure(figure);
    return out;
  }

  private figure(text: string): number {
    if (this.unit === 0) throw this.bad('places stand before the unit');
    if (text.includes('.')) {
      const v = Number(text);
      if (!Number.isFinite(v)) throw this.bad(`"${text.slice(0, 20)}" is no place`);
      return v * this.unit;
    }
    const [whole, parts] = this.digits ?? (this.unit === 1 ? [3, 3] : [2, 4]);
    const sign = text[0] === '-' ? -1 : 1;
    let digits = text.replace(/^[-+]/, '');
    if (this.zeros === null) this.note('places without a decimal point and without a zero mode: they may be meant otherwise');
    if (this.zeros === 'leading') digits = digits.padEnd(whole + parts, '0');
    return (sign * Number(digits) * this.unit) / 10 ** parts;
  }
}

/** How the bit moves, by the number behind G. */
const modes: Record<string, 'drill' | 'rapid' | 1 | 2 | 3> = { 0: 'rapid', 1: 1, 2: 2, 3: 3, 5: 'drill' };

/** What a plain word sees of its reader. */
type InnerDrill = Pick<DrillReader, 'drillMode' | 'plunge' | 'retract' | 'metric' | 'inches'>;
const simpleOf: Record<string, ((this: InnerDrill) => void) | undefined> = {
  G05() { this.drillMode(); },
  G81() { this.drillMode(); },
  M15() { this.plunge(); },
  M16() { this.retract(); },
  M17() { this.retract(); },
  M71() { this.metric(); },
  M72() { this.inches(); },
}; // prettier-ignore

const noteOf = ([what, count]: [string, number]): Finding => ({
  code: /no unit/.test(what) ? 'no-unit' : 'drill-note',
  severity: /no unit|cut off|is open|may be meant/.test(what) ? 'stop' : 'look',
  count,
  message: `In the drill file: ${what}${count > 1 ? ` (${count.toLocaleString('en')} times)` : ''}.`,
  remedy: /no unit|may be meant/.test(what) ? 'Write METRIC or INCH and decimal points; export it again.' : 'It is read all the same; other software may not.',
});
