import { Unusable, type Finding } from '../../base/finding.ts';
import type { Affine } from '../../curves/affine.ts';
import type { PictureOrigin } from '../../trace/origin.ts';
import { checkSize, type Picture } from '../../trace/picture.ts';

/** A picture as the reader of the file has decoded it: rows from the top, 1 bit a pixel, or 3 or 4 values. */
export interface RawPicture {
  width: number;
  height: number;
  /** 1: one bit a pixel, rows of whole bytes; 2: red, green, blue; 3: with opacity. Source: pdfjs, ImageKind. */
  kind?: number;
  data?: Uint8Array | Uint8ClampedArray | null;
}

/** A picture that a page paints: where its unit square goes on the page, mm. */
export interface Painted {
  /** Its name in the file, or the picture itself where it stands in the page. */
  picture: string | RawPicture;
  /** A stencil of one bit: what is painted is dark. */
  mask: boolean;
  map: Affine;
  /** Whether a clip hides some of it. */
  clipped: boolean;
}

/** Which picture of a file of several pages a drawing was made of. */
export type WithinFile = NonNullable<PictureOrigin['within']>;

/** Pictures of one file that are traced at most. */
export const mostPictures = 20;
/** Smaller ones on either side are lines, patterns and hairs of a drawing program. Common practice, no source. */
export const leastSide = 12;
/** Sides that differ by less than this share are one resolution. */
const evenShare = 2e-3;
/** So near to a quarter turn a picture lies straight, rad. */
const straightAngle = 1e-3;
/** Sides that a picture may have on its page, mm; and one whose sides are so nearly in line is squeezed to a line. */
const leastPainted = 1e-3;
const mostPainted = 1e6;
const flatShare = 1e-6;

/** The pictures of a page, each once, in the order in which they are painted; those too small to trace are left out and counted. */
export function distinct(painted: readonly Painted[], sizeOf: (p: Painted) => { width: number; height: number } | null): { list: Painted[]; small: number } {
  const seen = new Set<string | RawPicture>();
  const list: Painted[] = [];
  let small = 0;
  for (const one of painted) {
    if (seen.has(one.picture)) continue;
    seen.add(one.picture);
    const size = sizeOf(one);
    if (size && (size.width < leastSide || size.height < leastSide)) small++;
    else list.push(one);
  }
  return { list, small };
}

/**
 * A painted picture upright as it is seen on its page, with the resolution that its size on the page gives it. What tracing must say of it comes along.
 * @throws Unusable when it is too large, or what the reader has of it is no picture.
 */
export function pictureOnPage(raw: RawPicture, { mask, map, clipped }: Painted): { picture: Picture; findings: Finding[] } {
  checkSize(raw.width, raw.height);
  const [across, up] = [Math.hypot(map[0], map[1]), Math.hypot(map[2], map[3])];
  const sized = [across, up].every((side) => side >= leastPainted && side <= mostPainted);
  if (!sized || Math.abs(map[0] * map[3] - map[1] * map[2]) < flatShare * across * up)
    throw new Unusable('bad-picture', 'The picture has no size on its page, or one that no page has.', 'Export the page again.');
  const mirrored = map[0] * map[3] - map[1] * map[2] < 0;
  const angle = Math.atan2(map[1], map[0]);
  const quarter = Math.round(angle / (Math.PI / 2));
  const leans = Math.abs(angle - (quarter * Math.PI) / 2) > straightAngle;
  const findings: Finding[] = [];
  const tell = (code: string, message: string, remedy: string): void => void findings.push({ code, severity: 'look', count: 1, message, remedy });
  if (leans) tell('picture-leans', `The picture lies turned by ${((angle * 180) / Math.PI).toFixed(1)}° on its page; it is traced upright.`, 'Turn the drawing on its Place step.'); // prettier-ignore
  const [perMm, perMmUp] = [raw.width / across, raw.height / up];
  if (Math.abs(perMm / perMmUp - 1) > evenShare)
    tell(
      'picture-stretched',
      `The picture is stretched on its page, ${across.toFixed(2)} × ${up.toFixed(2)} mm for ${raw.width} × ${raw.height} pixels; it is traced ${across.toFixed(2)} mm wide, unstretched.`,
      'Check its height on the Size step.',
    );
  if (clipped) tell('picture-clipped', 'The page shows a part of the picture only; all of it is traced.', 'Choose a part of it on the Trace step.');
  const whole: Picture = { width: raw.width, height: raw.height, data: rgba(raw, mask), perMm };
  return { picture: turned(whole, (quarter + 4) % 4, mirrored), findings };
}

function rgba({ width, height, kind, data }: RawPicture, mask: boolean): Uint8Array {
  const pixels = width * height;
  const row = (width + 7) >> 3;
  const needed = mask || kind === 1 ? row * height : pixels * (kind === 2 ? 3 : 4);
  if (!data || data.length < needed)
    throw new Unusable('bad-picture', 'A picture of the page can not be decoded.', 'Export the page again, or bring the picture in by itself.');
  const out = new Uint8Array(pixels * 4).fill(255);
  if (mask || kind === 1) {
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i += 4) out[i] = out[i + 1] = out[i + 2] = (data[y * row + (x >> 3)] >> (7 - (x & 7))) & 1 ? 255 : 0;
  } else if (kind === 2) {
    for (let i = 0, k = 0; k < pixels * 3; i += 4, k += 3) {
      out[i] = data[k];
      out[i + 1] = data[k + 1];
      out[i + 2] = data[k + 2];
    }
  } else out.set(data.subarray(0, pixels * 4));
  return out;
}

/** A picture turned counter-clockwise by quarters, after it was mirrored upside down where the page does so. */
function turned(picture: Picture, quarter: number, mirrored: boolean): Picture {
  if (quarter === 0 && !mirrored) return picture;
  const { width: w, height: h, data } = picture;
  const [width, height] = quarter % 2 === 0 ? [w, h] : [h, w];
  const from = new Uint32Array(data.buffer, data.byteOffset, w * h);
  const to = new Uint32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      // Where the pixel stood before: turning back clockwise.
      const [sx, sy] = quarter === 0 ? [x, y] : quarter === 1 ? [w - 1 - y, x] : quarter === 2 ? [w - 1 - x, h - 1 - y] : [y, h - 1 - x];
      to[y * width + x] = from[(mirrored ? h - 1 - sy : sy) * w + sx];
    }
  return { ...picture, width, height, data: new Uint8Array(to.buffer) };
}
