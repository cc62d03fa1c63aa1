import { Unusable } from '../../base/finding.ts';

/** Kinds of picture files that are opened. */
export type PictureKind = 'PNG' | 'JPEG' | 'WebP' | 'GIF' | 'BMP' | 'TIFF';

const ascii = (bytes: Uint8Array, from: number, text: string): boolean => [...text].every((c, i) => bytes[from + i] === c.charCodeAt(0));

/** The signatures of PNG (ISO 15948), JFIF (T.871), WebP, GIF87a and 89a, and TIFF 6: where they stand and what they are. */
const signatures: readonly { kind: PictureKind; at: readonly (readonly [number, string])[] }[] = [
  { kind: 'PNG', at: [[0, '\x89PNG\r\n\x1a\n']] },
  { kind: 'JPEG', at: [[0, '\xff\xd8\xff']] },
  {
    kind: 'WebP',
    at: [
      [0, 'RIFF'],
      [8, 'WEBP'],
    ],
  },
  { kind: 'GIF', at: [[0, 'GIF87a']] },
  { kind: 'GIF', at: [[0, 'GIF89a']] },
  { kind: 'TIFF', at: [[0, 'II*\0']] },
  { kind: 'TIFF', at: [[0, 'MM\0*']] },
  { kind: 'TIFF', at: [[0, 'II+\0']] },
  { kind: 'TIFF', at: [[0, 'MM\0+']] },
];

/** Lengths that the second header of a BMP can have. */
const bmpHeaders = [12, 40, 52, 56, 108, 124];

/** What the first bytes say; null for anything else. */
export function pictureKind(bytes: Uint8Array): PictureKind | null {
  const found = signatures.find(({ at }) => at.every(([from, text]) => ascii(bytes, from, text)));
  if (found) return found.kind;
  // "BM" alone begins many a text: its reserved bytes and the length of its second header must be possible too.
  const bmp = ascii(bytes, 0, 'BM') && bytes.length > 26 && !bytes.subarray(6, 10).some(Boolean) && bmpHeaders.includes(bytes[14]);
  return bmp ? 'BMP' : null;
}

/** Pixels an inch as a PNG or JPEG states them; null when it states none, or only their proportion. Sources: PNG pHYs; JFIF density. */
export function statedPerInch(bytes: Uint8Array, kind: PictureKind): number | null {
  return kind === 'PNG' ? ofPng(bytes) : kind === 'JPEG' ? ofJpeg(bytes) : null;
}

export const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

function ofPng(bytes: Uint8Array): number | null {
  const view = viewOf(bytes);
  for (let at = 8; at + 17 <= bytes.length && !ascii(bytes, at + 4, 'IDAT'); at += 12 + view.getUint32(at))
    if (ascii(bytes, at + 4, 'pHYs')) return bytes[at + 16] === 1 ? view.getUint32(at + 8) * 0.0254 : null;
  return null;
}

function ofJpeg(bytes: Uint8Array): number | null {
  const view = viewOf(bytes);
  for (let at = 2; at + 18 <= bytes.length && bytes[at] === 0xff; at += 2 + view.getUint16(at + 2)) {
    if (bytes[at + 1] !== 0xe0 || !ascii(bytes, at + 4, 'JFIF\0')) continue;
    // 0: a proportion only; 1: an inch; 2: a centimetre.
    const inches = [0, 1, 2.54][bytes[at + 11]] ?? 0;
    const density = view.getUint16(at + 12);
    return density > 1 && inches > 0 ? density * inches : null;
  }
  return null;
}

export const noPicture = () => new Unusable('no-picture', 'These bytes are no PNG, JPEG, WebP, GIF, BMP or TIFF.', 'Save the picture as PNG.');

export const broken = (kind: PictureKind, why: string) =>
  new Unusable(
    'bad-picture',
    `The ${kind} can't be decoded: ${why.replace(/\s+/g, ' ').slice(0, 160)}.`,
    'Open it in a picture program and save it again as PNG.',
  );
