import { PDFArray, PDFDict, PDFDocument, PDFName, PDFNumber, PDFRawStream, type PDFObject, type PDFContext } from 'pdf-lib';
import { mostPixels } from '../../trace/picture.ts';

/** A printing colour with a name of its own: as a reader will see it, 0 to 255. */
export interface Spot {
  name: string;
  /** How much each value falls from white at the full colour. */
  fall: [number, number, number];
}

/** Spot colours of one file that are told apart. */
const mostSpots = 60;

/**
 * Spot colours (Separation) are turned by readers into mixed colours, and their names are lost. Here each gets a mixed colour that no other has, so that
 * its name can be found again. Pictures too large to decode are counted on the way. Bytes come back as they were when there is none, or the file can't be changed. Source: ISO 32000-1, 8.6.6.4.
 */
export async function withSpotsMarked(bytes: Uint8Array): Promise<{ bytes: Uint8Array; spots: Spot[]; huge: number }> {
  try {
    const document = await PDFDocument.load(bytes, { updateMetadata: false, throwOnInvalidObject: false });
    const spots = new Map<string, Spot>();
    let huge = 0;
    for (const [, object] of document.context.enumerateIndirectObjects()) {
      mark(object, document.context, spots, 0);
      if (isHuge(object)) huge++;
    }
    if (spots.size === 0) return { bytes, spots: [], huge };
    return { huge, bytes: await document.save({ useObjectStreams: false, updateFieldAppearances: false }), spots: [...spots.values()] };
  } catch {
    return { bytes, spots: [], huge: 0 };
  }
}

/** A picture of more pixels than are decoded: the reader passes over it without a word. */
function isHuge(object: PDFObject): boolean {
  if (!(object instanceof PDFRawStream) || object.dict.lookup(PDFName.of('Subtype')) !== PDFName.of('Image')) return false;
  const side = (name: string): number => {
    const value = object.dict.lookup(PDFName.of(name));
    return value instanceof PDFNumber ? value.asNumber() : 0;
  };
  return side('Width') * side('Height') > mostPixels;
}

/** Deepest that objects lie in one another. */
const deepest = 12;

function mark(object: PDFObject, context: PDFContext, spots: Map<string, Spot>, depth: number): void {
  if (depth > deepest) return;
  if (object instanceof PDFArray) {
    if (object.size() === 4 && object.get(0) === PDFName.of('Separation')) return separation(object, context, spots);
    for (const inner of object.asArray()) mark(inner, context, spots, depth + 1);
  } else if (object instanceof PDFDict) for (const inner of object.values()) mark(inner, context, spots, depth + 1);
  else if ('dict' in object && object.dict instanceof PDFDict) mark(object.dict, context, spots, depth + 1);
}

function separation(array: PDFArray, context: PDFContext, spots: Map<string, Spot>): void {
  const name = (context.lookup(array.get(1)) as PDFName).decodeText();
  // These two mean all inks, and none.
  if (name === 'All' || name === 'None') return;
  let spot = spots.get(name);
  if (!spot) {
    if (spots.size >= mostSpots) return;
    const i = spots.size;
    spots.set(name, (spot = { name, fall: [239, 3 + 4 * i, 245 - 4 * i] }));
  }
  const full = spot.fall.map((f) => (255 - f) / 255);
  array.set(2, PDFName.of('DeviceRGB'));
  array.set(3, context.obj({ FunctionType: 2, Domain: [0, 1], C0: [1, 1, 1], C1: full, N: 1 }));
}

/** The spot colour that a mixed colour stands for, with how much of it; null for a colour of its own. */
export function spotOf(colour: string, spots: readonly Spot[]): Spot | null {
  const falls = [1, 3, 5].map((i) => 255 - parseInt(colour.slice(i, i + 2), 16));
  for (const spot of spots) {
    const tint = falls[0] / spot.fall[0];
    if (tint > 0.1 && tint <= 1.01 && falls.every((f, k) => Math.abs(f - tint * spot.fall[k]) <= 1.2)) return spot;
  }
  return null;
}
