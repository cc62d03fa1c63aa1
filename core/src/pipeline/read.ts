import { develop, partOfDeveloped } from '../develop/develop.ts';
import { looksLikeSizes, readSizes } from '../develop/sizes-file.ts';
import { sound, soundData } from '../base/sound.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import { lossesAmong } from '../base/loss.ts';
import { fitsLengthRule } from '../formats/stl/read.ts';
import { formats } from '../formats/registry.ts';
import { endings, openedInWords, sizesFormat } from './opened.ts';
import { usualChoices, type ReadChoices } from '../model/choices.ts';
import type { Design, DesignFormat } from '../model/design.ts';
import type { Kernels } from './kernels.ts';
import { exactDesign, type Reading } from './exact-design.ts';
import { meshDesign } from './mesh-design.ts';
import { drawingDesign } from './drawing-design.ts';
import { treeOf } from './design-tree.ts';

/** Largest file that is opened, bytes (said before an upload starts). */
export const mostBytes = 512 * 1024 * 1024;

/**
 * Reads a design from the bytes of a file. What kind it is comes from the bytes; an ending that says otherwise is a finding.
 * @param fileName only for its ending and for naming a part that has no name; never used as a path.
 * @param kernels are asked for when they are needed (STEP and IGES only).
 * @throws Unusable when nothing can be read.
 */
export async function readDesign(bytes: Uint8Array, fileName: string, kernels: Kernels, choices: ReadChoices = usualChoices): Promise<Design> {
  refuseBySize(bytes);
  const plain = plainText(bytes);
  const ending = /\.([A-Za-z0-9]+)$/.exec(fileName)?.[1].toLowerCase() ?? '';
  const said = endings[ending] ?? null;
  const really = (await formatByBytes(plain)) ?? said;
  if (really === null) throw noFormat(plain, ending);
  const design = await readAs(really, plain, { fileName, kernels, choices });
  if (really !== said) design.findings.unshift(otherEnding(ending, really));
  const lost = lossesAmong(design.findings);
  if (lost.length > 0) for (const part of design.parts) part.summary.lost = [...lost, ...(part.summary.lost ?? [])];
  if (choices.colour !== null) for (const part of design.parts) part.summary.colour ??= choices.colour;
  return withSoundWords(design);
}

/** @throws Unusable for a file of nothing, and for one that is too large */
function refuseBySize({ length }: Uint8Array): void {
  if (length === 0) throw new Unusable('empty-file', 'The file is empty (0 bytes).', 'Export it again and check that the disk was not full.');
  if (length > mostBytes) {
    throw new Unusable(
      'too-large',
      `The file has ${(length / 1e6).toFixed(0)} MB; at most ${mostBytes / 2 ** 20} MB are opened.`,
      'Export fewer parts at a time, or with a larger deviation.',
    );
  }
}

/** What is said of a file that is of no format read here. */
function noFormat(bytes: Uint8Array, ending: string): Unusable {
  if (isPostScript(bytes))
    return new Unusable('postscript', 'This is PostScript (EPS), which is a program and no drawing; it is not read here.', 'Save it as PDF or SVG where it was made, and bring that in.'); // prettier-ignore
  return new Unusable(
    'unknown-format',
    `Files ending in ".${ending || '(nothing)'}" are not read here, and these bytes are none of the formats that are.`,
    `Bring in ${openedInWords}; export one of them from the program that made the file.`,
  );
}

/** Names and sentences that any store can keep; layers of drawings are named as their summaries name them. */
function withSoundWords({ parts, ...design }: Design): Design {
  for (const { geometry } of parts) if (geometry.kind === 'drawing') for (const layer of geometry.drawing.layers) layer.name = sound(layer.name);
  return { ...soundData(design), parts: parts.map((part) => ({ ...part, summary: soundData(part.summary), findings: soundData(part.findings) })) };
}

/** Text with a byte-order mark, or in UTF-16, as plain UTF-8; everything else as it came. Source: Unicode 15, 23.8. */
function plainText(bytes: Uint8Array): Uint8Array {
  const sixteen = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
  if (sixteen !== null && !fitsLengthRule(bytes)) return new TextEncoder().encode(new TextDecoder(sixteen).decode(bytes));
  return bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? bytes.subarray(3) : bytes;
}

/** PostScript, plain or with a preview before it. Source: EPSF 3.0, 2 and 5. */
const isPostScript = (bytes: Uint8Array): boolean =>
  (bytes[0] === 0x25 && bytes[1] === 0x21) || (bytes[0] === 0xc5 && bytes[1] === 0xd0 && bytes[2] === 0xd3 && bytes[3] === 0xc6);

/** What the first bytes say, for the formats that can be told by them. */
export async function formatByBytes(bytes: Uint8Array): Promise<DesignFormat | null> {
  if (looksLikeSizes(bytes)) return sizesFormat;
  for (const format of formats) if ((await format.load()).looksLike?.(bytes)) return format.id;
  return null;
}

async function readAs(id: DesignFormat, bytes: Uint8Array, reading: Reading): Promise<Design> {
  const { fileName, kernels, choices } = reading;
  if (id === sizesFormat) return sizesDesign(bytes, fileName);
  const format = formats.find((f) => f.id === id)!;
  const reader = await format.load();
  switch (reader.kind) {
    case 'solid':
      return exactDesign(format, reader.header(bytes), bytes, reading);
    case 'mesh':
      return meshDesign(format, reader.read(bytes), fileName, choices);
    case 'drawing':
      return drawingDesign(format, await reader.read(bytes, choices, kernels.progress), fileName, choices);
  }
}

function otherEnding(ending: string, really: string): Finding {
  return {
    code: 'other-ending',
    severity: 'look',
    count: 1,
    message: `The file ends in ".${ending}" but holds ${really}; it was read as ${really}.`,
    remedy: 'Nothing to do here; give the file its right ending so that other software opens it too.',
  };
}

/** A shape that is given by its sizes, developed. */
function sizesDesign(bytes: Uint8Array, fileName: string): Design {
  const choice = readSizes(bytes);
  const part = partOfDeveloped(choice, develop(choice), fileName.replace(/\.[^.]*$/, '') || undefined);
  part.summary.format = sizesFormat;
  return { format: sizesFormat, version: '1', unit: 'mm', tree: treeOf([part]), parts: [part], findings: [] };
}
