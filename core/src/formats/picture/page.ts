import type { Picture } from '../../trace/picture.ts';
import { checkSize } from '../../trace/picture.ts';
import { broken, noPicture, statedPerInch } from './kinds.ts';
import { exifPerInch, perMmOf, statedOf, type Stated } from './stated.ts';

/** Decoders as a page has them: compiled modules of @jsquash's packages, each fetched when first asked for. */
export interface PageDecoders {
  jpeg: () => Promise<WebAssembly.Module>;
  png: () => Promise<WebAssembly.Module>;
  webp: () => Promise<WebAssembly.Module>;
}

type Values = Pick<Picture, 'width' | 'height' | 'data'>;

/** What both packages of compiled C take to begin, whatever their types say. */
type Begin = (module: WebAssembly.Module) => Promise<void>;

/** A buffer of its own: what is handed over may be a part of a larger one. */
const bufferOf = (bytes: Uint8Array): ArrayBuffer => Uint8Array.from(bytes).buffer;
const whole = ({ width, height, data }: { width: number; height: number; data: ArrayLike<number> & { buffer: ArrayBufferLike } }): Values => ({
  width,
  height,
  data: new Uint8Array(data.buffer),
});

async function ofJpeg(bytes: Uint8Array, { jpeg }: PageDecoders): Promise<Values> {
  const { default: decode, init } = await import('@jsquash/jpeg/decode.js');
  await (init as unknown as Begin)(await jpeg());
  // Turned as it says it was held.
  return whole(await decode(bufferOf(bytes), { preserveOrientation: true }));
}

async function ofWebp(bytes: Uint8Array, { webp }: PageDecoders): Promise<Values> {
  const { default: decode, init } = await import('@jsquash/webp/decode.js');
  await (init as unknown as Begin)(await webp());
  return whole(await decode(bufferOf(bytes)));
}

async function ofPng(bytes: Uint8Array, { png }: PageDecoders, { depth }: Stated): Promise<Values> {
  if (depth === 16) return ofDeepPng(bytes);
  const { decode, init } = await import('@jsquash/png/decode.js');
  await init(await png());
  return whole(await decode(bufferOf(bytes)));
}

/** 16 bits a value as they are: one to four values a pixel, or one colour that is clear (PNG, 11.3.1.1 tRNS). */
async function ofDeepPng(bytes: Uint8Array): Promise<Values> {
  const { decode } = await import('fast-png');
  const { width, height, data, channels, transparency } = decode(bytes);
  const out = new Uint16Array(width * height * 4);
  const colours = channels < 3 ? 1 : 3;
  for (let from = 0, to = 0; to < out.length; from += channels, to += 4) {
    for (let k = 0; k < 3; k++) out[to + k] = data[from + (colours === 3 ? k : 0)];
    let opacity = channels > colours ? data[from + colours] : 65535;
    if (transparency && colours === channels && Array.from({ length: colours }, (_, k) => data[from + k] === transparency[k]).every(Boolean)) opacity = 0;
    out[to + 3] = opacity;
  }
  return { width, height, data: out };
}

/**
 * The pixels of a PNG, JPEG or WebP where there is no server at hand: in a page's worker. The same as `decodePicture` has of a file for which `pageDecodes` holds.
 * What is asked for here was read by the server before: of a JPEG that ends early it makes what there is, where the server refuses it.
 * @throws Unusable when it is damaged, too large or of another kind. @example await decodeInPage(bytes, { jpeg, png, webp })
 */
export async function decodeInPage(bytes: Uint8Array, decoders: PageDecoders): Promise<Picture> {
  const stated = statedOf(bytes);
  if (!stated) throw noPicture();
  checkSize(stated.width, stated.height);
  const decode = stated.kind === 'JPEG' ? ofJpeg : stated.kind === 'WebP' ? ofWebp : ofPng;
  try {
    const found = await decode(bytes, decoders, stated);
    const perInch = stated.kind === 'WebP' ? null : (statedPerInch(bytes, stated.kind) ?? exifPerInch(stated.exif));
    return { ...found, perMm: perMmOf(perInch) };
  } catch (thrown) {
    throw broken(stated.kind, (thrown as Error).message || 'it ends early');
  }
}
