import sharp from 'sharp';
import { fourPoints } from 'tall-kite/trace/rectify';
import { invertedPlane, throughPlane } from 'tall-kite/trace/plane';
import type { DemoFile } from './designs.ts';

/** A sail with its battens and a sun: black on white, 300 pixels an inch; the sun's middle would fall out of a stencil. */
const sailMark = `<svg xmlns="http://www.w3.org/2000/svg" width="1180" height="1180" viewBox="0 0 100 100">
  <rect width="100" height="100" fill="#fff"/>
  <path d="M50 6 L82 40 L50 94 L18 40 Z" fill="#000"/>
  <path d="M52 16 L73 39 L52 39 Z M48 16 L48 39 L27 39 Z M28 43 L48 43 L48 77 Z M52 43 L72 43 L52 77 Z" fill="#fff"/>
  <circle cx="84" cy="82" r="10" fill="#000"/><circle cx="84" cy="82" r="5.5" fill="#fff"/><circle cx="84" cy="82" r="2.6" fill="#000"/>
</svg>`;

/** A badge of two colours on white, for two heights. */
const crewBadge = `<svg xmlns="http://www.w3.org/2000/svg" width="900" height="900" viewBox="0 0 60 60">
  <rect width="60" height="60" fill="#fff"/>
  <circle cx="30" cy="30" r="26" fill="#1f4e9c"/>
  <path d="M30 10 L42 26 L30 50 L18 26 Z" fill="#e8623d"/>
  <path d="M29.2 10 h1.6 v40 h-1.6 Z M18 25.2 h24 v1.6 h-24 Z" fill="#1f4e9c"/>
</svg>`;

/** A paper template of a pulley cheek, 210 x 148 mm, as it lies on a table. */
const template = `<svg xmlns="http://www.w3.org/2000/svg" width="2100" height="1480" viewBox="0 0 210 148">
  <rect width="210" height="148" fill="#fbfaf6"/>
  <path d="M60 24 H150 A50 50 0 0 1 150 124 H60 A50 50 0 0 1 60 24 Z" fill="#22201d"/>
  <circle cx="60" cy="74" r="22" fill="#fbfaf6"/><circle cx="150" cy="74" r="12" fill="#fbfaf6"/>
  <rect x="92" y="62" width="34" height="24" rx="6" fill="#fbfaf6"/>
</svg>`;

/** Where the paper's corners lie in the photograph, pixels, round from the top left. */
export const templateCorners: [number, number][] = [
  [262, 214],
  [1704, 148],
  [1866, 1204],
  [148, 1310],
];

/** The paper as a camera sees it: leaning, lit from one side, grainy. */
async function photograph(): Promise<Uint8Array> {
  const { data, info } = await sharp(Buffer.from(template)).removeAlpha().raw().toBuffer({ resolveWithObject: true });
  const [width, height] = [2000, 1500];
  const back = invertedPlane(
    fourPoints(
      [
        [0, 0],
        [info.width, 0],
        [info.width, info.height],
        [0, info.height],
      ],
      templateCorners,
    ),
  );
  const out = Buffer.alloc(width * height * 3);
  let seed = 7;
  const grain = () => {
    seed = (Math.imul(seed, 1103515245) + 12345) >>> 0;
    return (seed / 4294967296 - 0.5) * 9;
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [u, v] = throughPlane(back, x + 0.5, y + 0.5);
      const light = 0.62 + (0.36 * x) / width - (0.1 * y) / height;
      const noise = grain();
      for (let k = 0; k < 3; k++) {
        const table = [150, 126, 98][k] + 8 * Math.sin(y / 23 + Math.sin(x / 140));
        const value = u >= 0 && v >= 0 && u < info.width && v < info.height ? sampled({ data, width: info.width, height: info.height }, u, v, k) : table;
        out[(y * width + x) * 3 + k] = Math.max(0, Math.min(255, value * light + noise));
      }
    }
  return new Uint8Array(
    await sharp(out, { raw: { width, height, channels: 3 } })
      .jpeg({ quality: 90 })
      .toBuffer(),
  );
}

/** Between the four pixels round a place. */
function sampled({ data, width, height }: { data: Buffer; width: number; height: number }, u: number, v: number, k: number): number {
  const [x, y] = [Math.min(width - 2, Math.max(0, Math.floor(u - 0.5))), Math.min(height - 2, Math.max(0, Math.floor(v - 0.5)))];
  const [s, t] = [Math.min(1, Math.max(0, u - 0.5 - x)), Math.min(1, Math.max(0, v - 0.5 - y))];
  const at = (i: number, j: number) => data[((y + j) * width + x + i) * 3 + k];
  return (at(0, 0) * (1 - s) + at(1, 0) * s) * (1 - t) + (at(0, 1) * (1 - s) + at(1, 1) * s) * t;
}

const png = async (svg: string): Promise<Uint8Array> =>
  new Uint8Array(await sharp(Buffer.from(svg)).flatten({ background: '#ffffff' }).withMetadata({ density: 300 }).png().toBuffer());

/** The sail mark as a picture. */
export const sailMarkPng = (): Promise<Uint8Array> => png(sailMark);

/** Pictures of the scenario: a mark for a stencil, a photographed template, a badge of two colours. */
export async function demoPictures(): Promise<DemoFile[]> {
  return [
    { name: 'sail-mark.png', bytes: await sailMarkPng() },
    { name: 'cheek-template.jpg', bytes: await photograph() },
    { name: 'crew-badge.png', bytes: await png(crewBadge) },
  ];
}
