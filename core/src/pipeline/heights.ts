import { unzipSync } from 'fflate';
import type { Finding } from '../base/finding.ts';
import { heightPicture, heightsFromPicture, type HeightScale } from '../formats/picture/heights.ts';
import { boxOf } from '../geometry/box.ts';
import { buildBvh } from '../geometry/bvh/build.ts';
import { alongRay } from '../geometry/bvh/ray.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { evidenceOf, same, within, withFindings, type Evidence } from '../prove/evidence.ts';
import { gridOver, type HeightField } from '../reliefs/field.ts';
import { scan, undercuts } from '../reliefs/scan.ts';
import { heldFiles } from './held.ts';

/** Heights of a mesh on their way into a picture. */
export interface HeightMap {
  field: HeightField;
  png: Uint8Array;
  scale: HeightScale;
  /** The scale as it goes beside the picture. */
  scaleText: string;
  /** Both in one file. */
  zip(): Uint8Array;
  /** What a reader finds in a zip, or in a picture and its scale, held against the mesh by rays. */
  proved(zip: Uint8Array): Promise<Evidence>;
  provedFiles(png: Uint8Array, scale: string): Promise<Evidence>;
}

/** Rays that are sent through the mesh for the proof. */
const rays = 2000;

/**
 * The heights of a mesh over its own box as a 16-bit grey picture with its scale. What is under overhangs is told.
 * @param told what was left out before
 */
export async function heightMap(mesh: Mesh, cell: number, name: string, told: readonly Finding[]): Promise<HeightMap> {
  const { min, max } = boxOf(mesh.positions);
  const grid = gridOver([min[0], min[1]], [max[0], max[1]], cell);
  const seen = scan(mesh, grid);
  const under = undercuts(seen, grid, min[2]);
  const field: HeightField = { ...grid, heights: seen.top };
  const { png, scale } = await heightPicture(field, name);
  const scaleText = `${JSON.stringify(scale, null, 2)}\n`;
  const findings: Finding[] = [...told];
  if (under.volume > 0)
    findings.push({
      code: 'undercut',
      severity: 'look',
      count: under.places,
      message: `A picture of heights has one height a place: ${under.volume.toPrecision(3)} mm3 of air under overhangs are not in it.`,
      remedy: 'Write the mesh itself where that matters.',
    });
  const provedFiles = async (bytes: Uint8Array, text: string) =>
    withFindings(prove(mesh, field, await heightsFromPicture(bytes, text), scale.perGrey), findings);
  return {
    field,
    png,
    scale,
    scaleText,
    zip: () => {
      const files = heldFiles();
      void files.keep(name, [png]);
      void files.keep(scaleName(name), [new TextEncoder().encode(scaleText)]);
      return files.zip();
    },
    provedFiles,
    proved: (zip) => {
      const inside = unzipSync(zip);
      return provedFiles(inside[name], new TextDecoder().decode(inside[scaleName(name)]));
    },
  };
}

/** The name of the scale beside a picture. */
export const scaleName = (picture: string): string => picture.replace(/\.png$/i, '.json');

/** Received heights against the mesh: sizes by its box, heights by rays down through its triangles, which know nothing of the scan. */
function prove(mesh: Mesh, designed: HeightField, received: HeightField, perGrey: number): Evidence {
  const box = boxOf(mesh.positions);
  const { columns, rows, step, at, heights } = received;
  let [high, places] = [-Infinity, 0];
  for (const h of heights) {
    if (Number.isNaN(h)) continue;
    places++;
    high = Math.max(high, h);
  }
  let meant = 0;
  for (const h of designed.heights) if (!Number.isNaN(h)) meant++;
  const bvh = buildBvh(mesh);
  let largest = 0;
  const every = Math.max(1, Math.floor((columns * rows) / rays));
  for (let k = 0; k < heights.length; k += every) {
    if (Number.isNaN(heights[k])) continue;
    let down = Infinity;
    // Straight down from above; on the border a hair inward, where the ray surely meets what the border belongs to.
    const x = inward(at[0] + (k % columns) * step[0], box.min[0], box.max[0]);
    const y = inward(at[1] + Math.floor(k / columns) * step[1], box.min[1], box.max[1]);
    alongRay(bvh, { from: [x, y, box.max[2] + 1], along: [0, 0, -1] }, (t) => (down = Math.min(down, t)));
    if (down < Infinity) largest = Math.max(largest, Math.abs(box.max[2] + 1 - down - heights[k]));
  }
  const claims = [
    within('Width X', 'mm', [box.max[0] - box.min[0], step[0] * (columns - 1)], 1e-6),
    within('Height Y', 'mm', [box.max[1] - box.min[1], step[1] * (rows - 1)], 1e-6),
    same('Places with a height', meant, places),
    // Half a grey, and what a hair inward changes.
    within('Heights', 'mm', [0, largest], perGrey * 0.51 + 1e-5),
    within('Highest', 'mm', [max(designed.heights), high], perGrey * 0.51),
  ];
  return evidenceOf(claims, []);
}

const inward = (v: number, low: number, high: number) => Math.min(high - (high - low) * 1e-9, Math.max(low + (high - low) * 1e-9, v));
const max = (values: Float64Array) => values.reduce((a, b) => (b > a ? b : a), -Infinity);
