import type { Face as HbFace, Font as HbFont } from 'harfbuzzjs';
import { Unusable } from '../base/finding.ts';
import { unionOf, type Ring, type Stroke } from '../curves/union.ts';
import { growBySegment, noBox } from '../curves/measure.ts';
import type { P2 } from '../curves/segment.ts';

/** A way in which letters can be varied, with its limits: weight (wght), width (wdth), slant (slnt), optical size (opsz) ... */
export interface Axis {
  tag: string;
  least: number;
  usual: number;
  most: number;
}

/** A letter (or what became of several) of a line, where it stands: numbers of its face, from the line's beginning. */
export interface Glyph {
  id: number;
  x: number;
  y: number;
  advance: number;
  /** Where in the text it comes from. */
  cluster: number;
}

/** Outlines of one letter: closed ways, outer ones counter-clockwise, nothing overlapping. */
export interface Outline {
  rings: Stroke[][];
  /** Left, bottom, right, top; null for a letter without ink. */
  box: [number, number, number, number] | null;
}

/** A face of letters: shapes text and gives its outlines, in numbers of which `upem` make the em. */
export interface Face {
  name: string;
  upem: number;
  /** Height of H, and of x; by the outline where there is one. */
  cap: number;
  low: number;
  axes: Axis[];
  has(codePoint: number): boolean;
  /** @param text of one direction and one script. @param back from right to left */
  shape(text: string, back: boolean): { glyphs: Glyph[]; width: number };
  outline(glyph: number): Outline;
}

/** Fetched when the first font is opened; pages never do, a worker of theirs does. */
const shaper = () => import(/* turbopackIgnore: true */ 'harfbuzzjs');

/** Most bytes of a font. */
export const mostFontBytes = 16 * 1024 * 1024;

/**
 * Opens a TrueType or OpenType font. @param bytes sfnt (not packed); see `unpacked` for WOFF. @param vary values of its axes; others stand as usual.
 * @throws Unusable when it is damaged or holds no outlines. @example await openFace(bytes, { wght: 600 })
 */
export async function openFace(bytes: Uint8Array, vary: Readonly<Record<string, number>> = {}, name = ''): Promise<Face> {
  checkTables(bytes);
  const hb = await shaper();
  const face = new hb.Face(new hb.Blob(bytes));
  const known = new Set(face.collectUnicodes());
  if (known.size === 0) throw damaged('it names no letters');
  const font = new hb.Font(face);
  const axes = axesOf(face);
  const set = axes.map(({ tag, least, usual, most }) => new hb.Variation(tag, Math.min(most, Math.max(least, vary[tag] ?? (tag === 'wght' ? 400 : usual)))));
  if (set.length > 0) font.setVariations(set);
  const outlines = new Map<number, Outline>();
  const outline = (id: number): Outline => {
    let found = outlines.get(id);
    if (!found) outlines.set(id, (found = outlineOf(font, id)));
    return found;
  };
  if (!drawsSomething(font, known, outline))
    throw new Unusable('font-without-outlines', 'The font holds pictures of letters and no outlines.', 'Choose a font with outlines (TrueType or PostScript).');
  const heightOf = (letter: string, share: number): number => {
    const id = font.nominalGlyph(letter.codePointAt(0)!);
    return (id === undefined ? null : outline(id).box?.[3]) ?? share * face.upem;
  };
  return {
    name: name || face.getName(4, 'en') || face.getName(1, 'en') || 'a font without a name',
    upem: face.upem,
    cap: heightOf('H', 0.7),
    low: heightOf('x', 0.5),
    axes,
    has: (code) => known.has(code),
    shape: (text, back) => {
      const buffer = new hb.Buffer();
      buffer.addText(text);
      buffer.guessSegmentProperties();
      buffer.setDirection(back ? hb.Direction.RTL : hb.Direction.LTR);
      hb.shape(font, buffer);
      let x = 0;
      const glyphs = buffer.getGlyphInfosAndPositions().map(({ codepoint, cluster, xAdvance = 0, xOffset = 0, yOffset = 0 }): Glyph => {
        const glyph = { id: codepoint, x: x + xOffset, y: yOffset, advance: xAdvance, cluster };
        x += xAdvance;
        return glyph;
      });
      return { glyphs, width: x };
    },
    outline,
  };
}

const axesOf = (face: HbFace): Axis[] =>
  Object.values(face.getAxisInfos()).map(({ tag, min, default: usual, max }) => ({
    tag,
    least: min,
    usual: tag === 'wght' ? Math.min(max, Math.max(min, 400)) : usual,
    most: max,
  }));

const damaged = (why: string): Unusable => new Unusable('bad-font', `The font can't be read: ${why}.`, 'Bring in a whole TTF, OTF, WOFF or WOFF2 file.');

/** Letters that are looked at to tell whether a font has outlines at all. */
const tried = 200;

function drawsSomething(font: HbFont, known: ReadonlySet<number>, outline: (id: number) => Outline): boolean {
  let asked = 0;
  for (const code of known) {
    if (code <= 32 || ++asked > tried) continue;
    const id = font.nominalGlyph(code);
    if (id !== undefined && outline(id).rings.length > 0) return true;
  }
  return false;
}

/** Outlines as a font draws them, overlaps taken away. */
function outlineOf(font: HbFont, id: number): Outline {
  const rings: Ring[] = [];
  let ring: Stroke[] = [];
  let [at, start]: [P2, P2] = [
    [0, 0],
    [0, 0],
  ];
  const to = (s: Stroke, end: P2) => {
    if (s.kind === 'bezier' || s.a[0] !== s.b[0] || s.a[1] !== s.b[1]) ring.push(s);
    at = end;
  };
  const close = () => {
    if (at[0] !== start[0] || at[1] !== start[1]) ring.push({ kind: 'line', a: at, b: start });
    if (ring.length > 1 || ring[0]?.kind === 'bezier') rings.push(ring);
    ring = [];
  };
  for (const { type, values: v } of font.glyphToJson(id)) {
    if (type === 'M') {
      if (ring.length > 0) close();
      at = start = [v[0], v[1]];
    } else if (type === 'L') to({ kind: 'line', a: at, b: [v[0], v[1]] }, [v[0], v[1]]);
    else if (type === 'Q') to({ kind: 'bezier', points: [at, [v[0], v[1]], [v[2], v[3]]] }, [v[2], v[3]]);
    else if (type === 'C') to({ kind: 'bezier', points: [at, [v[0], v[1]], [v[2], v[3]], [v[4], v[5]]] }, [v[4], v[5]]);
    else if (type === 'Z') close();
  }
  if (ring.length > 0) close();
  const whole = rings.length === 0 ? [] : (unionOf(rings) ?? rings.map((r) => [...r]));
  return { rings: whole, box: boxOfRings(whole) };
}

/** Left, bottom, right and top of ways, by their turning points. */
export function boxOfRings(rings: readonly Ring[]): Outline['box'] {
  if (rings.length === 0) return null;
  const box = noBox();
  for (const ring of rings) for (const s of ring) growBySegment(box, s);
  return box;
}

/** Tables a font can't do without. Source: OpenType 1.9, Font File. */
const needed = ['cmap', 'head', 'hhea', 'hmtx', 'maxp'];
const outlinesIn = ['glyf', 'CFF ', 'CFF2'];

/** @throws Unusable unless the list of tables is whole and each lies within the file. */
function checkTables(bytes: Uint8Array): void {
  if (bytes.length > mostFontBytes) throw damaged(`it has ${(bytes.length / 1e6).toFixed(1)} MB, more than ${mostFontBytes / 2 ** 20} MB`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const first = bytes.length >= 12 ? view.getUint32(0) : 0;
  if (![0x00010000, 0x4f54544f, 0x74727565, 0x74746366].includes(first)) throw damaged('its first bytes are not those of a font');
  const at = first === 0x74746366 && bytes.length >= 16 ? view.getUint32(12) : 0;
  const count = at + 12 <= bytes.length ? view.getUint16(at + 4) : 0;
  if (count === 0 || at + 12 + count * 16 > bytes.length) throw damaged('its list of tables is cut off');
  const tables = new Map<string, number>();
  for (let i = 0; i < count; i++) {
    const entry = at + 12 + i * 16;
    const tag = String.fromCharCode(bytes[entry], bytes[entry + 1], bytes[entry + 2], bytes[entry + 3]);
    const [offset, length] = [view.getUint32(entry + 8), view.getUint32(entry + 12)];
    if (offset + length > bytes.length) throw damaged(`its table "${tag}" reaches beyond the end of the file`);
    tables.set(tag, length);
  }
  const missing = needed.find((tag) => !tables.get(tag));
  if (missing) throw damaged(`its table "${missing}" is missing`);
  if (!outlinesIn.some((tag) => tables.get(tag)))
    throw new Unusable('font-without-outlines', 'The font holds pictures of letters and no outlines.', 'Choose a font with outlines (TrueType or PostScript).');
}
