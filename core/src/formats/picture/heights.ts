import Joi from 'joi';
import { Unusable } from '../../base/finding.ts';
import { sha256 } from '../../base/sha256.ts';
import type { HeightField } from '../../reliefs/field.ts';

/** What the greys of a height map mean; it goes beside the picture as JSON. Lengths in mm. */
export interface HeightScale {
  picture: string;
  sha256: string;
  unit: 'mm';
  columns: number;
  rows: number;
  /** Distance of pixels' middles along X and Y. */
  pixel: [number, number];
  /** Where the middle of the left pixel of the lowest row stands. */
  at: [number, number];
  /** Height of grey 1, and of one grey more. Grey 0 is where nothing stands. */
  grey1: number;
  perGrey: number;
  highest: number;
}

const greys = 65_534;

/**
 * A height field as a 16-bit grey PNG, its top row the greatest Y, with the scale of its greys. White is high.
 * Only where Node runs. @throws Unusable for a field with nothing in it. @example await heightPicture(field, 'waves.png')
 */
export async function heightPicture(field: HeightField, name: string): Promise<{ png: Uint8Array; scale: HeightScale }> {
  const { columns, rows, heights, step, at } = field;
  let [low, high] = [Infinity, -Infinity];
  for (const h of heights) {
    if (h < low) low = h;
    if (h > high) high = h;
  }
  if (!(low <= high)) throw new Unusable('no-heights', 'There are no heights to write.', 'Bring in a surface that can be seen from above.');
  const perGrey = high > low ? (high - low) / greys : 1;
  const values = new Uint16Array(columns * rows);
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const h = heights[(rows - 1 - r) * columns + c];
      values[r * columns + c] = Number.isNaN(h) ? 0 : 1 + Math.round((h - low) / perGrey);
    }
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const png = new Uint8Array(
    await sharp(values, { raw: { width: columns, height: rows, channels: 1 } })
      .toColourspace('grey16')
      .png()
      .toBuffer(),
  );
  const scale: HeightScale = {
    picture: name,
    sha256: sha256([png]),
    unit: 'mm',
    columns,
    rows,
    pixel: [...step] as [number, number],
    at: [...at] as [number, number],
    grey1: low,
    perGrey,
    highest: high,
  };
  return { png, scale };
}

const scaleSchema = Joi.object<HeightScale>({
  picture: Joi.string().max(300).required(),
  sha256: Joi.string().hex().length(64).required(),
  unit: Joi.valid('mm').required(),
  columns: Joi.number().integer().min(1).max(65_535).required(),
  rows: Joi.number().integer().min(1).max(65_535).required(),
  pixel: Joi.array().items(Joi.number().greater(0)).length(2).required(),
  at: Joi.array().items(Joi.number()).length(2).required(),
  grey1: Joi.number().required(),
  perGrey: Joi.number().greater(0).required(),
  highest: Joi.number().required(),
});

/**
 * The heights of a picture by the scale beside it, read from the bytes of both.
 * @throws Unusable when they do not belong together, or the picture is no 16-bit grey one of that size.
 */
export async function heightsFromPicture(png: Uint8Array, scaleText: string): Promise<HeightField> {
  const scale = readScale(scaleText);
  if (sha256([png]) !== scale.sha256)
    throw new Unusable(
      'other-picture',
      'The scale belongs to another picture: its check sum differs.',
      'Give the picture and the scale that were written together.',
    );
  const { default: sharp } = await import(/* turbopackIgnore: true */ 'sharp');
  const about = await sharp(png).metadata();
  if (about.depth !== 'ushort' || about.width !== scale.columns || about.height !== scale.rows)
    throw new Unusable(
      'no-height-map',
      `The picture is ${about.width} x ${about.height}, ${about.depth}; its scale says ${scale.columns} x ${scale.rows} in 16 bits.`,
      'Write both once more.',
    );
  const { data } = await sharp(png).toColourspace('grey16').extractChannel(0).raw({ depth: 'ushort' }).toBuffer({ resolveWithObject: true });
  const values = new Uint16Array(data.buffer.slice(data.byteOffset, data.byteOffset + data.byteLength));
  const { columns, rows } = scale;
  const heights = new Float64Array(columns * rows);
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const grey = values[(rows - 1 - r) * columns + c];
      heights[r * columns + c] = grey === 0 ? NaN : scale.grey1 + (grey - 1) * scale.perGrey;
    }
  return { columns, rows, step: scale.pixel, at: scale.at, heights };
}

function readScale(text: string): HeightScale {
  let value: unknown = null;
  try {
    value = JSON.parse(text);
  } catch {
    /* told below */
  }
  const { error, value: scale } = scaleSchema.validate(value ?? {}, { abortEarly: true, convert: false });
  if (error)
    throw new Unusable('bad-scale', `The scale of the heights can not be read: ${error.message}.`, 'Give the JSON file that was written with the picture.');
  return scale;
}
