import { pictureKind, viewOf, type PictureKind } from './kinds.ts';

/** Pixels an inch that a file may state and that make sense. */
const believable = [10, 20_000];

/** The header in which a server tells how many pixels are in a millimetre, beside pixels that it decoded itself; empty where the file does not say. */
export const perMmHeader = 'Picture-Per-Mm';

/** Pixels in a millimetre from those in an inch; null for none, or for a number that no picture has. */
export const perMmOf = (perInch: number | null): number | null =>
  perInch !== null && perInch >= believable[0] && perInch <= believable[1] ? perInch / 25.4 : null;

/** Pixels an inch of an EXIF block: tags 0x11a (across) and 0x128 (unit) of its first list. Source: EXIF 2.32, TIFF 6. Cameras put 72 there without meaning it. */
export function exifPerInch(exif: Uint8Array | null | undefined): number | null {
  if (!exif || exif.length < 20) return null;
  const from = exif[0] === 0x45 && exif[1] === 0x78 ? 6 : 0;
  const view = new DataView(exif.buffer, exif.byteOffset + from, exif.byteLength - from);
  const little = view.getUint16(0) === 0x4949;
  try {
    const list = view.getUint32(4, little);
    let [value, unit] = [null as number | null, 2];
    for (let i = 0; i < Math.min(200, view.getUint16(list, little)); i++) {
      const at = list + 2 + i * 12;
      const tag = view.getUint16(at, little);
      if (tag === 0x128) unit = view.getUint16(at + 8, little);
      if (tag === 0x11a) {
        const where = view.getUint32(at + 8, little);
        value = view.getUint32(where, little) / view.getUint32(where + 4, little);
      }
    }
    if (value === null || !Number.isFinite(value) || value === 72) return null;
    return unit === 3 ? value * 2.54 : unit === 2 ? value : null;
  } catch {
    // A list that points outside is no list.
    return null;
  }
}

/** What a file says of its picture before anything is decoded. */
export interface Stated {
  kind: PictureKind;
  width: number;
  height: number;
  /** Bits of each value. */
  depth: number;
  /** Values a pixel, where that says whether it is in printing inks; 0 where it does not. */
  inks: number;
  /** Whether its colours are to be taken through a profile. */
  profile: boolean;
  /** Whether it moves. */
  moves: boolean;
  exif: Uint8Array | null;
}

type Reader = (bytes: Uint8Array, found: Stated) => void;

/** Chunks are named by four letters. */
const tag = (bytes: Uint8Array, at: number): string => String.fromCharCode(bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]);

/** Source: PNG, W3C Recommendation (third edition), 11.2.1 IHDR, 11.3 ancillary chunks. */
const ofPng: Reader = (bytes, found) => {
  const view = viewOf(bytes);
  if (bytes.length < 33) return;
  [found.width, found.height, found.depth] = [view.getUint32(16), view.getUint32(20), bytes[24]];
  for (let at = 8; at + 12 <= bytes.length && tag(bytes, at + 4) !== 'IDAT'; at += 12 + view.getUint32(at)) {
    const name = tag(bytes, at + 4);
    if (name === 'iCCP') found.profile = true;
    if (name === 'acTL') found.moves = true;
    if (name === 'eXIf') found.exif = bytes.subarray(at + 8, at + 8 + view.getUint32(at));
  }
};

/** Markers of frames: all of their row but those of tables. */
const isFrame = (marker: number): boolean => marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);

function frame(bytes: Uint8Array, at: number, found: Stated): void {
  const view = viewOf(bytes);
  [found.depth, found.height, found.width, found.inks] = [bytes[at + 4], view.getUint16(at + 5), view.getUint16(at + 7), bytes[at + 9]];
}

/** Source: ITU-T T.81 (JPEG), B.1.1 and B.2.2; profiles: ICC.1, annex B.4; EXIF 2.32, 4.7.2. */
const ofJpeg: Reader = (bytes, found) => {
  const view = viewOf(bytes);
  for (let at = 2; at + 4 <= bytes.length && bytes[at] === 0xff && bytes[at + 1] !== 0xda;) {
    const [marker, length] = [bytes[at + 1], view.getUint16(at + 2)];
    // Bytes of 255 may fill the room before a marker.
    if (marker === 0xff) {
      at++;
      continue;
    }
    if (isFrame(marker) && at + 10 <= bytes.length) frame(bytes, at, found);
    if (marker === 0xe2 && tag(bytes, at + 4) === 'ICC_') found.profile = true;
    if (marker === 0xe1 && tag(bytes, at + 4) === 'Exif' && !found.exif) found.exif = bytes.subarray(at + 4, at + 2 + length);
    at += 2 + length;
  }
};

/** Source: RFC 9649 (WebP), 2.4 to 2.7. */
const ofWebp: Reader = (bytes, found) => {
  const view = viewOf(bytes);
  const three = (at: number) => bytes[at] | (bytes[at + 1] << 8) | (bytes[at + 2] << 16);
  found.depth = 8;
  for (let at = 12; at + 18 <= bytes.length; at += 8 + view.getUint32(at + 4, true) + (view.getUint32(at + 4, true) & 1)) {
    const name = tag(bytes, at);
    if (name === 'VP8X') {
      found.profile = (bytes[at + 8] & 0x20) !== 0;
      found.moves = (bytes[at + 8] & 2) !== 0;
      [found.width, found.height] = [three(at + 12) + 1, three(at + 15) + 1];
    }
    if (name === 'VP8 ' && found.width === 0) [found.width, found.height] = [view.getUint16(at + 14, true) & 0x3fff, view.getUint16(at + 16, true) & 0x3fff];
    if (name === 'VP8L' && found.width === 0) {
      const bits = view.getUint32(at + 9, true);
      [found.width, found.height] = [(bits & 0x3fff) + 1, ((bits >>> 14) & 0x3fff) + 1];
    }
    if (name === 'EXIF') found.exif = bytes.subarray(at + 8, at + 8 + view.getUint32(at + 4, true));
  }
};

const readers: Partial<Record<PictureKind, Reader>> = { PNG: ofPng, JPEG: ofJpeg, WebP: ofWebp };

/** What a PNG, JPEG or WebP says of itself; null for other bytes, and for files that end before they say how large they are. */
export function statedOf(bytes: Uint8Array): Stated | null {
  const kind = pictureKind(bytes);
  const read = kind && readers[kind];
  if (!read) return null;
  const found: Stated = { kind, width: 0, height: 0, depth: 0, inks: 0, profile: false, moves: false, exif: null };
  try {
    read(bytes, found);
  } catch {
    // It ends within a length that it states.
    return null;
  }
  return found.width > 0 && found.height > 0 ? found : null;
}

/** Whether a page decodes a file itself, to the very pixels that the server has of it: PNG, JPEG and WebP that stand still, in shades or red, green and blue without a profile. */
export function pageDecodes(bytes: Uint8Array): boolean {
  const stated = statedOf(bytes);
  return stated !== null && !stated.profile && !stated.moves && stated.inks !== 4 && (stated.depth <= 8 || stated.kind === 'PNG');
}
