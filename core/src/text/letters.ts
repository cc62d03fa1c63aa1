import { Unusable } from '../base/finding.ts';
import { familyOf, standIns, type Family } from './fonts.ts';
import { openFace, type Axis, type Face } from './face.ts';
import { readLineLetters, type LineLetters } from './single-line.ts';
import type { TextChoice } from './choice.ts';

/** Where files of letters come from: a folder on the server and the command line, the server in a page. */
export interface LetterFiles {
  /** A font of a package, as plain tables. */
  outlines(from: string, file: string): Promise<Uint8Array>;
  /** A file of single lines. */
  strokes(file: string): Promise<string>;
  /** Whatever a person brought, as plain tables. */
  plain(bytes: Uint8Array): Promise<Uint8Array>;
}

/** Letters to set text in: faces in the order in which they are asked, or single lines. */
export type Letters =
  | { kind: 'outlines'; name: string; faces: readonly LazyFace[]; /** How many of them are the family's own. */ own: number; axes: Axis[] }
  | { kind: 'single lines'; name: string; lines: LineLetters };

/** A face that is opened when a letter is asked of it. */
export interface LazyFace {
  open(): Promise<Face>;
}

const open = new Map<string, Promise<Face>>();
/** Faces kept open at most; the oldest goes. */
const mostOpen = 64;

function kept(key: string, make: () => Promise<Face>): Promise<Face> {
  const before = open.get(key);
  if (before) return before;
  const face = make();
  open.set(key, face);
  face.catch(() => open.delete(key));
  if (open.size > mostOpen) open.delete(open.keys().next().value!);
  return face;
}

/** Letters as chosen. @throws Unusable when a person's own font can't be used. */
export async function lettersOf(choice: Pick<TextChoice, 'font' | 'own' | 'axes'>, files: LetterFiles): Promise<Letters> {
  const vary = JSON.stringify(choice.axes);
  if (choice.font === 'own') {
    const { name, data } = choice.own!;
    if (data === '') throw new Unusable('no-font', `The font "${name}" is not kept with these words.`, 'Choose the font file again.');
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
    const face = await kept(`own ${hashOf(bytes)} ${vary}`, async () => openFace(await files.plain(bytes), choice.axes, name));
    return { kind: 'outlines', name: face.name, faces: [{ open: () => Promise.resolve(face) }, ...others(files)], own: 1, axes: face.axes };
  }
  const family = familyOf(choice.font);
  if (family.kind === 'single lines') return { kind: 'single lines', name: family.name, lines: await linesOf(family, files) };
  const faces = family.files!.map((file): LazyFace => ({
    open: () => kept(`${file} ${vary}`, async () => openFace(await files.outlines(family.package!, file), choice.axes, family.name)),
  }));
  return { kind: 'outlines', name: family.name, faces: [...faces, ...others(files)], own: faces.length, axes: (await faces[0].open()).axes };
}

const others = (files: LetterFiles): LazyFace[] =>
  standIns.map(({ package: from, file }) => ({
    open: () => kept(file, async () => openFace(await files.outlines(from, file), {}, file.split('-').slice(0, 3).join(' '))),
  }));

const lines = new Map<string, Promise<LineLetters>>();
function linesOf({ strokes }: Family, files: LetterFiles): Promise<LineLetters> {
  let found = lines.get(strokes!);
  if (!found) lines.set(strokes!, (found = files.strokes(strokes!).then(readLineLetters)));
  found.catch(() => lines.delete(strokes!));
  return found;
}

/** FNV-1a of 64 bits over the bytes, with their number: only tells fonts apart that one person has open. */
function hashOf(bytes: Uint8Array): string {
  let [a, b] = [0x811c9dc5, 0x1234567];
  for (const byte of bytes) {
    a = Math.imul(a ^ byte, 0x01000193) >>> 0;
    b = Math.imul(b ^ byte, 0x01000197) >>> 0;
  }
  return `${bytes.length} ${a} ${b}`;
}
