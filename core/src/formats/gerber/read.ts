import { Unusable, type Finding } from '../../base/finding.ts';
import { distance, turn, type P2 } from '../../curves/segment.ts';
import { areasOfMacro, disc, obround, rectangle, regular, type Area } from './macro.ts';
import { movedObject, plain, scaledTrack, settledObject, type Aperture, type GerberObject, type Setting } from './objects.ts';
import type { Track } from './write.ts';

export interface GerberFile {
  unit: 'mm' | 'in';
  /** File attributes: name without its fields, to them. */
  attributes: ReadonlyMap<string, readonly string[]>;
  objects: GerberObject[];
  findings: Finding[];
  /** Largest difference of the radius at the two ends of an arc, mm. */
  worstArc: number;
}

/** More things than that are no board. */
export const mostObjects = 3_000_000;
/** Apertures larger than that, or set down larger by that, are no board. */
const mostSize = 100_000;
const mostScale = 1000;

interface Repeat {
  nx: number;
  ny: number;
  dx: number;
  dy: number;
}

/**
 * Reads a Gerber layer (RS-274X, X2, X3) of any writer: regions, all standard apertures, macros, blocks, polarity, mirroring, turning and scaling, step and
 * repeat, both units, both zero modes, both kinds of arcs. Source: Gerber Layer Format Specification, revision 2021 and later (from memory).
 * @throws Unusable in a sentence with the place when it is none, or says what nobody can draw
 * @example readGerber(bytes).objects.length
 */
export const readGerber = (bytes: Uint8Array): GerberFile => new GerberReader(new TextDecoder('latin1').decode(bytes)).read();

class GerberReader {
  private readonly text: string;
  private at = 0;
  private unit = 0;
  private digits: [number, number, number, number] | null = null;
  private trailing = false;
  private readonly attributes = new Map<string, readonly string[]>();
  private use: Map<string, readonly string[]> = new Map();
  private readonly apertures = new Map<number, Aperture>();
  private readonly macros = new Map<string, string[]>();
  private current: Aperture | null = null;
  private mode: 0 | 1 | 2 | 3 = 0;
  private quadrants: 0 | 74 | 75 = 0;
  private last = 0;
  private x = 0;
  private y = 0;
  private dark = true;
  private setting: Setting = plain;
  private region: Track[][] | null = null;
  private chain: Track[] = [];
  private objects: GerberObject[] = [];
  private count = 0;
  private repeat: { how: Repeat; before: GerberObject[] } | null = null;
  private blocks: { number: number; before: GerberObject[] }[] = [];
  private ended = false;
  private said: { x: number | null; y: number | null; i: number | null; j: number | null; d: number } = { x: null, y: null, i: null, j: null, d: -1 };
  private worstArc = 0;
  private readonly notes = new Map<string, number>();

  constructor(text: string) {
    this.text = text;
  }

  private bad(why: string): Unusable {
    const line = this.text.slice(0, this.at).split('\n').length;
    return new Unusable('bad-gerber', `Line ${line} of the Gerber file: ${why}.`, 'Export the file again; nothing was taken from it.');
  }

  private note(what: string): void {
    this.notes.set(what, (this.notes.get(what) ?? 0) + 1);
  }

  read(): GerberFile {
    const { text } = this;
    while (this.at < text.length) {
      const c = text.charCodeAt(this.at);
      if (c === 37) {
        const end = text.indexOf('%', this.at + 1);
        if (end < 0) throw this.bad('a command that begins with % has no end');
        this.extended(text.slice(this.at + 1, end).replace(/[\r\n]/g, ''));
        this.at = end + 1;
      } else if (c <= 32) this.at++;
      else {
        const end = text.indexOf('*', this.at);
        if (end < 0) break;
        this.word(text.slice(this.at, end));
        this.at = end + 1;
      }
    }
    if (this.repeat) this.endRepeat();
    if (this.blocks.length > 0) throw this.bad('a block aperture has no end');
    if (this.unit === 0) throw this.bad('it states no unit (MO)');
    if (!this.ended) this.note('the end of the file (M02) is missing: it may be cut off');
    if (this.region) this.note('a region is open at the end');
    return {
      unit: this.unit === 1 ? 'mm' : 'in',
      attributes: this.attributes,
      objects: this.objects,
      findings: [...this.notes].map(([what, count]) => noteOf(what, count)),
      worstArc: this.worstArc,
    };
  }

  private extended(body: string): void {
    const commands = body.split('*').filter((c) => c !== '');
    if (commands.length === 0) return;
    if (commands[0].startsWith('AM')) {
      this.macros.set(commands[0].slice(2), commands.slice(1));
      return;
    }
    for (const c of commands) this.command(c);
  }

  private command(c: string): void {
    const rest = c.slice(2);
    const known = commandsOf[c.slice(0, 2)];
    if (!known) throw this.bad(`"${c.slice(0, 20)}" is no command`);
    known.call(this as unknown as Inner, rest);
  }

  // What the commands of the table below do.
  format(rest: string): void {
    const m = /^([LTD])([AI])(?:N\d)?(?:G\d)?X(\d)(\d)Y(\d)(\d)/.exec(rest);
    if (!m) throw this.bad(`"FS${rest}" is no format of coordinates`);
    if (m[2] === 'I') throw this.bad('its coordinates are steps from place to place, which nobody has written for decades');
    this.trailing = m[1] === 'T';
    if (this.trailing) this.note('trailing zeros are left out, which the format no longer allows');
    this.digits = [Number(m[3]), Number(m[4]), Number(m[5]), Number(m[6])];
  }
  unitOf(rest: string): void {
    if (rest !== 'MM' && rest !== 'IN') throw this.bad(`"MO${rest}" is no unit`);
    this.unit = rest === 'MM' ? 1 : 25.4;
  }
  define(rest: string): void {
    const m = /^D(\d+)([A-Za-z_.$][\w.$-]*)(?:,(.*))?$/.exec(rest);
    if (!m) throw this.bad(`"AD${rest.slice(0, 20)}" defines no aperture`);
    if (this.unit === 0) throw this.bad('an aperture is defined before the unit');
    const params = m[3] === undefined ? [] : m[3].split('X').map(Number);
    if (params.some((v) => Math.abs(v) > mostSize)) throw this.bad(`aperture D${m[1]} has a size of more than ${mostSize.toLocaleString('en')}`);
    if (!params.every(Number.isFinite)) throw this.bad(`aperture D${m[1]} has a size that is no number`);
    if (Number(m[1]) < 10) throw this.bad('aperture numbers begin at 10');
    this.apertures.set(Number(m[1]), this.aperture(m[2], params));
  }
  private aperture(name: string, p: number[]): Aperture {
    const use = this.use.get('.AperFunction') ?? [];
    const macro = this.macros.get(name);
    const areas = macro && !standard[name] ? areasOfMacro(macro, p) : this.standardAreas(name, p);
    const scaled = areas.map((a) => ({ on: a.on, chains: a.chains.map((c) => c.map((t) => scaledTrack(t, this.unit))) }));
    return { diameter: name === 'C' && p.length < 2 ? p[0] * this.unit : null, areas: scaled, use };
  }
  private standardAreas(name: string, p: number[]): Area[] {
    const shape = standard[name];
    if (!shape) throw this.bad(`aperture "${name.slice(0, 20)}" is unknown`);
    if (p.length < shape.least || p.slice(0, shape.sizes).some((v) => !(v >= 0))) throw this.bad(`aperture ${name} lacks a size, or has one below 0`);
    const made = shape.make(p);
    const hole = p[shape.hole];
    const areas: Area[] = made.length === 0 ? [] : [{ on: true, chains: [made] }];
    return hole > 0 ? [...areas, { on: false, chains: [disc([0, 0], hole)] }] : areas;
  }
  polarity(rest: string): void {
    if (rest !== 'D' && rest !== 'C') throw this.bad(`"LP${rest}" is no polarity`);
    this.dark = rest === 'D';
  }
  mirror(rest: string): void {
    this.setting = { ...this.setting, mirrorX: rest.includes('X'), mirrorY: rest.includes('Y') };
  }
  turnBy(rest: string): void {
    this.setting = { ...this.setting, angle: (this.number(rest) * Math.PI) / 180 };
  }
  scaleBy(rest: string): void {
    const scale = this.number(rest);
    if (!(scale > 0 && scale <= mostScale)) throw this.bad(`a scale must be more than 0 and at most ${mostScale}`);
    this.setting = { ...this.setting, scale };
  }
  private number(text: string): number {
    const v = Number(text);
    if (text === '' || !Number.isFinite(v)) throw this.bad(`"${text.slice(0, 20)}" is no number`);
    return v;
  }
  step(rest: string): void {
    if (this.repeat) this.endRepeat();
    if (rest === '' || /^X1Y1I0(\.0*)?J0(\.0*)?$/.test(rest)) return;
    const m = /^X(\d+)Y(\d+)I([-+\d.]+)J([-+\d.]+)$/.exec(rest);
    if (!m) throw this.bad(`"SR${rest.slice(0, 20)}" is no step and repeat`);
    const how = { nx: Number(m[1]), ny: Number(m[2]), dx: this.number(m[3]) * this.unit, dy: this.number(m[4]) * this.unit };
    this.repeat = { how, before: this.objects };
    this.objects = [];
  }
  private endRepeat(): void {
    const { how, before } = this.repeat!;
    const once = this.objects;
    this.objects = before;
    this.repeat = null;
    if (once.length === 0) return;
    this.counted(once.length * (how.nx * how.ny - 1));
    for (let i = 0; i < how.nx; i++) for (let j = 0; j < how.ny; j++) for (const o of once) this.objects.push(movedObject(o, [i * how.dx, j * how.dy]));
  }
  block(rest: string): void {
    if (rest !== '') {
      const m = /^D(\d+)$/.exec(rest);
      if (!m || Number(m[1]) < 10) throw this.bad(`"AB${rest.slice(0, 20)}" begins no block`);
      if (this.blocks.length >= 20) throw this.bad('blocks lie too deep in each other');
      this.blocks.push({ number: Number(m[1]), before: this.objects });
      this.objects = [];
      return;
    }
    const open = this.blocks.pop();
    if (!open) throw this.bad('a block ends that has not begun');
    this.apertures.set(open.number, { diameter: null, areas: [], use: this.use.get('.AperFunction') ?? [], block: this.objects });
    this.objects = open.before;
  }
  fileAttribute(rest: string): void {
    const [name, ...fields] = fieldsOf(rest);
    this.attributes.set(name, fields);
  }
  apertureAttribute(rest: string): void {
    const [name, ...fields] = fieldsOf(rest);
    this.use = new Map(this.use).set(name, fields);
  }
  forget(rest: string): void {
    this.use = rest === '' ? new Map() : new Map([...this.use].filter(([n]) => n !== rest));
  }
  old(rest: string): void {
    // Deprecated commands that change nothing at these values are let be.
    if (!/^(POS|AXBY|0*(\.0*)?|A0*(\.0*)?(B0*(\.0*)?)?|A1(\.0*)?B1(\.0*)?)$/.test(rest))
      throw this.bad('it uses a command that was taken out of the format long ago, and that would change the image');
    this.note('a command that was taken out of the format, without effect');
  }

  private counted(more: number): void {
    this.count += more;
    if (this.count > mostObjects) throw this.bad(`it draws more than ${mostObjects.toLocaleString('en')} things`);
  }

  private put(object: GerberObject): void {
    this.counted(1);
    this.objects.push(object);
  }

  private word(word: string): void {
    if (word.startsWith('G04') || word.startsWith('G4 ')) {
      // Attributes within comments, for readers of the format before X2.
      const m = /^G04 ?#@! T([FAD])(.*)$/.exec(word);
      if (m) this.command(`T${m[1]}${m[2]}`);
      return;
    }
    if (this.ended) {
      this.note('something stands behind the end of the file');
      return;
    }
    this.said = { x: null, y: null, i: null, j: null, d: -1 };
    for (let at = 0; at < word.length;) {
      let end = at + 1;
      while (end < word.length && isFigure(word.charCodeAt(end))) end++;
      if (word.charCodeAt(at) > 32) this.letter(word[at], word.slice(at + 1, end), word);
      at = end;
    }
    this.act();
  }

  /** One letter with its figure. */
  private letter(letter: string, figure: string, word: string): void {
    const nothing = () => this.bad(`"${word.slice(0, 30)}" is nothing that can be drawn`);
    if (figure === '') throw nothing();
    switch (letter) {
      case 'X':
        this.said.x = this.place(figure, 0);
        return;
      case 'Y':
        this.said.y = this.place(figure, 2);
        return;
      case 'I':
        this.said.i = this.place(figure, 0);
        return;
      case 'J':
        this.said.j = this.place(figure, 2);
        return;
      case 'D':
        this.said.d = Number(figure);
        return;
      case 'G':
        this.preparatory(Number(figure));
        return;
      case 'M':
        this.ended ||= Number(figure) === 2 || Number(figure) === 0;
        return;
      default:
        throw nothing();
    }
  }

  /** Does what a word said. */
  private act(): void {
    const { x, y, i, j, d } = this.said;
    if (d >= 10) {
      const found = this.apertures.get(d);
      if (!found) throw this.bad(`aperture D${d} is not defined`);
      this.current = found;
      return;
    }
    if (d < 0 && x === null && y === null) return;
    if (d < 0) this.note('places without what is to be done there');
    else this.last = d;
    this.draw(this.last, [x ?? this.x, y ?? this.y], [i ?? 0, j ?? 0]);
  }

  /** A figure as mm. */
  private place(text: string, k: 0 | 2): number {
    if (!this.digits || this.unit === 0) throw this.bad('places stand before the format and the unit of coordinates');
    if (text.includes('.')) {
      this.note('places with a decimal point, which the format does not allow');
      return this.number(text) * this.unit;
    }
    const [whole, parts] = [this.digits[k], this.digits[k + 1]];
    const sign = text[0] === '-' ? -1 : 1;
    const first = text[0] === '-' || text[0] === '+' ? 1 : 0;
    let digits = text.slice(first);
    if (digits.length > whole + parts) this.note('more digits than the format of coordinates says');
    if (this.trailing) digits = digits.padEnd(whole + parts, '0');
    const v = Number(digits);
    if (!Number.isInteger(v)) throw this.bad(`"${text.slice(0, 20)}" is no place`);
    // Divided, not multiplied by a rounded power: the nearest number to the decimal.
    return (sign * v * this.unit) / tens[parts];
  }

  private preparatory(g: number): void {
    if (g >= 1 && g <= 3) this.mode = g as 1 | 2 | 3;
    else if (g === 36) {
      this.region = [];
      this.chain = [];
    } else if (g === 37) this.endRegion();
    else if (g === 74 || g === 75) {
      this.quadrants = g;
      if (g === 74) this.note('arcs of one quadrant (G74), which the format no longer allows');
    } else if (g === 70 || g === 71) this.unit ||= g === 70 ? 25.4 : 1;
    else if (!withoutEffect.has(g)) throw this.bad(`G${g} is unknown`);
  }

  private draw(d: number, to: P2, off: P2): void {
    if (d === 2) {
      if (this.region) this.endChain();
    } else if (d === 1) {
      const track = this.mode === 1 ? ({ kind: 'line', a: [this.x, this.y], b: to } as Track) : this.arc(to, off);
      if (this.region) {
        if (track.kind === 'arc' || distance(track.a, track.b) > 0) this.chain.push(track);
      } else {
        if (!this.current) throw this.bad('something is drawn before an aperture was chosen');
        this.put({ kind: 'stroke', dark: this.dark, track, aperture: this.current, setting: this.setting });
      }
    } else if (d === 3) {
      if (this.region) throw this.bad('an aperture is flashed within a region');
      if (!this.current) throw this.bad('an aperture is flashed before one was chosen');
      this.flash(to, this.current);
    } else throw this.bad(`D${d} is unknown`);
    [this.x, this.y] = to;
  }

  private flash(at: P2, aperture: Aperture): void {
    if (!aperture.block) {
      this.counted(aperture.areas.length);
      this.put({ kind: 'flash', dark: this.dark, at, aperture, setting: this.setting });
      return;
    }
    this.counted(aperture.block.length);
    // Each thing of the block joins the image; one that is set down clear turns them over.
    for (const o of aperture.block) this.objects.push(settledObject(o, at, this.setting, this.dark));
  }

  private arc(to: P2, off: P2): Track {
    if (this.mode === 0) throw this.bad('something is drawn before it was said how (G01, G02, G03)');
    if (this.quadrants === 0) throw this.bad('an arc is drawn before G75');
    const from: P2 = [this.x, this.y];
    const ccw = this.mode === 3;
    const centre = this.quadrants === 75 ? ([from[0] + off[0], from[1] + off[1]] as P2) : quadrantCentre(from, to, off, ccw);
    const [r0, r1] = [distance(centre, from), distance(centre, to)];
    this.worstArc = Math.max(this.worstArc, Math.abs(r0 - r1));
    if (r0 === 0) return { kind: 'line', a: from, b: to };
    const start = Math.atan2(from[1] - centre[1], from[0] - centre[0]);
    let sweep = Math.atan2(to[1] - centre[1], to[0] - centre[0]) - start;
    if (ccw) while (sweep <= 1e-12) sweep += turn;
    else while (sweep >= -1e-12) sweep -= turn;
    // In one quadrant equal ends are nothing, in several they are a full circle.
    if (this.quadrants === 74 && from[0] === to[0] && from[1] === to[1]) return { kind: 'line', a: from, b: to };
    return { kind: 'arc', centre, radius: (r0 + r1) / 2, start, sweep };
  }

  private endChain(): void {
    if (this.chain.length > 0) this.region!.push(this.chain);
    this.chain = [];
  }

  private endRegion(): void {
    if (!this.region) throw this.bad('a region ends that has not begun');
    this.endChain();
    if (this.region.length > 0) this.put({ kind: 'region', dark: this.dark, chains: this.region });
    this.region = null;
  }
}

/** Words of old files that change nothing. */
const withoutEffect: ReadonlySet<number> = new Set([54, 55, 90]);
const tens = Array.from({ length: 10 }, (_, k) => 10 ** k);
const isFigure = (c: number): boolean => (c >= 48 && c <= 57) || c === 45 || c === 43 || c === 46;
const fieldsOf = (rest: string): string[] =>
  rest.split(',').map((f) => f.replace(/\\u([0-9a-fA-F]{4})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))));

const noteOf = (what: string, count: number): Finding => ({
  code: 'gerber-note',
  severity: what.includes('cut off') || what.includes('is open') ? 'stop' : 'look',
  count,
  message: `In the Gerber file: ${what}${count > 1 ? ` (${count.toLocaleString('en')} times)` : ''}.`,
  remedy: what.includes('cut off') ? 'Fetch or export it again.' : 'It is read all the same; other software may not.',
});

/** Standard apertures: how many sizes they need, and where their hole stands. */
const standard: Record<string, { least: number; sizes: number; hole: number; make(p: number[]): Track[] } | undefined> = {
  C: { least: 1, sizes: 1, hole: 1, make: ([d]) => (d > 0 ? disc([0, 0], d) : []) },
  R: { least: 2, sizes: 2, hole: 2, make: ([w, h]) => (w > 0 && h > 0 ? rectangle([0, 0], w, h) : []) },
  O: { least: 2, sizes: 2, hole: 2, make: ([w, h]) => (w > 0 && h > 0 ? obround(w, h) : []) },
  P: { least: 2, sizes: 1, hole: 3, make: ([d, n, a = 0]) => (n >= 3 && n <= 100 && d > 0 ? regular([0, 0], d, Math.round(n), (a * Math.PI) / 180) : []) },
};

/** What a command sees of its reader. */
type Inner = Pick<
  GerberReader,
  'format' | 'unitOf' | 'define' | 'polarity' | 'mirror' | 'turnBy' | 'scaleBy' | 'step' | 'block' | 'fileAttribute' | 'apertureAttribute' | 'forget' | 'old'
>;
const commandsOf: Record<string, ((this: Inner, rest: string) => void) | undefined> = {
  FS(rest) { this.format(rest); },
  MO(rest) { this.unitOf(rest); },
  AD(rest) { this.define(rest); },
  LP(rest) { this.polarity(rest); },
  LM(rest) { this.mirror(rest); },
  LR(rest) { this.turnBy(rest); },
  LS(rest) { this.scaleBy(rest); },
  SR(rest) { this.step(rest); },
  AB(rest) { this.block(rest); },
  TF(rest) { this.fileAttribute(rest); },
  TA(rest) { this.apertureAttribute(rest); },
  TD(rest) { this.forget(rest); },
  TO() {},
  LN() {},
  IN() {},
  IP(rest) { this.old(rest); },
  OF(rest) { this.old(rest); },
  MI(rest) { this.old(rest); },
  SF(rest) { this.old(rest); },
  AS(rest) { this.old(rest); },
  IR(rest) { this.old(rest); },
}; // prettier-ignore

/** Of the four places that the unsigned distances allow, the middle of an arc of at most a quarter whose ends agree. */
function quadrantCentre(from: P2, to: P2, off: P2, ccw: boolean): P2 {
  let best: P2 = from;
  let least = Infinity;
  for (const sx of [1, -1])
    for (const sy of [1, -1]) {
      const c: P2 = [from[0] + sx * Math.abs(off[0]), from[1] + sy * Math.abs(off[1])];
      const cross = (from[0] - c[0]) * (to[1] - c[1]) - (from[1] - c[1]) * (to[0] - c[0]);
      const inner = (from[0] - c[0]) * (to[0] - c[0]) + (from[1] - c[1]) * (to[1] - c[1]);
      const scale = distance(c, from) * distance(c, to) || 1;
      const quarter = inner >= -1e-6 * scale && (ccw ? cross : -cross) >= -1e-6 * scale;
      const differ = Math.abs(distance(c, from) - distance(c, to));
      if (quarter && differ < least) [least, best] = [differ, c];
    }
  return best;
}
