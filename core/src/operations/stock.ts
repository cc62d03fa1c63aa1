import Joi from 'joi';
import { counted, threeLengths } from '../base/figures.ts';
import { sha256 } from '../base/sha256.ts';
import { identityRows } from '../geometry/rows.ts';
import type { Mesh } from '../geometry/mesh.ts';
import { partOfMesh } from '../pipeline/mesh-design.ts';
import { safeFileName } from '../recipe/recipe.ts';
import { heightMap } from '../pipeline/heights.ts';
import { mostReliefs, stockBounds, stockSchema, type StockChoice } from '../reliefs/choice.ts';
import { lostOfBlock, reliefOnStock } from '../reliefs/part.ts';
import { fileName, figure, id } from './fields.ts';
import { Cancelled, manyParts, onePart, type Operation, type OperationPart, type Outcome, type Work } from './operation.ts';
import { ownMesh, scaleOfPart } from './shape.ts';
import type { Tools } from '../pipeline/one-file.ts';

export interface StockRequest {
  kind: 'stock';
  /** In the order of `choice.reliefs`. */
  parts: string[];
  choice: StockChoice;
}

export interface HeightsRequest {
  kind: 'heights';
  part: string;
  /** Distance of heights, mm. */
  cell: number;
  name: string;
}

/** The part as modelled, in mm. */
async function inMillimetres(part: OperationPart, tools: Tools): Promise<Mesh> {
  const { positions, triangles } = await ownMesh(part, tools);
  const scale = scaleOfPart(part);
  return { positions: scale === 1 ? positions : positions.map((v) => v * scale), triangles };
}

async function run({ request: { choice }, parts, tools, progress }: Work<StockRequest>): Promise<Outcome> {
  const going = (share: number, what: string) => {
    if (progress(share, what)) throw new Cancelled();
  };
  going(0.01, 'starting');
  const named: { name: string; mesh: Mesh }[] = [];
  for (const part of parts) named.push({ name: part.summary.name, mesh: await inMillimetres(part, tools) });
  const { mesh, origin, findings } = reliefOnStock(named, choice, going);
  going(0.95, 'measuring it');
  const [{ summary }] = parts;
  const name = `${summary.name} on stock`.slice(0, 120);
  const { quantity, colour, partNumber } = summary;
  const about = {
    name,
    path: [name],
    quantity,
    colour,
    partNumber,
    unit: 'mm',
    format: 'made here',
    places: [identityRows],
    made: [`set into a stock of ${threeLengths(choice.stock)} mm`],
  };
  const part = partOfMesh(mesh, about);
  part.summary.relief = origin;
  part.summary.lost = lostOfBlock(findings);
  return {
    report: { relief: origin, findings, said: [`Set ${counted(parts.length, 'relief')} into a stock of ${threeLengths(choice.stock)} mm.`] },
    made: [{ geometry: part.geometry, part: () => part }],
    inPlace: false,
    beside: true,
  };
}

/** Reliefs set into a stock: a closed block beside them, which knows how it was made. */
export const stockOperation: Operation<StockRequest> = {
  kind: 'stock',
  verb: 'set into stock',
  gives: 'proposal',
  schema: Joi.object({ parts: Joi.array().items(Joi.string().guid()).min(1).max(mostReliefs).unique().required(), choice: stockSchema.required() }),
  parts: manyParts,
  run,
};

/** The heights of a part as a 16-bit grey picture with its scale, in one zip; read back from the bytes that were kept. */
export const heightsOperation: Operation<HeightsRequest> = {
  kind: 'heights',
  verb: 'write heights of',
  gives: 'file',
  schema: Joi.object({
    part: id,
    cell: figure.min(stockBounds.cell[0]).max(stockBounds.cell[1]).required(),
    name: fileName,
  }),
  parts: onePart,
  async run({ request, parts: [part], tools, keep, progress }): Promise<Outcome> {
    if (progress(0.02, 'heights')) throw new Cancelled();
    const mesh = await inMillimetres(part, tools);
    const name = safeFileName(request.name);
    const made = await heightMap(mesh, request.cell, `${name}_heights.png`, part.summary.lost ?? []);
    const zip = `${name}_heights.zip`;
    const bytes = await keep(zip, [made.zip()]);
    const evidence = await made.proved(bytes);
    return {
      report: { file: { fileName: zip, sha256: sha256([bytes]), bytes: bytes.length, evidence }, said: ['Wrote its heights as a picture with its scale.'] },
      made: [],
      inPlace: false,
    };
  },
};
