import { basename, extname, join } from 'node:path';
import type { Finding } from '../base/finding.ts';
import { command, type Asked, type Command, type Report } from '../command/command.ts';
import { choice, type Options } from '../command/option.ts';
import { facetOptions, meshesOf, readOptions, wholeOf, type Loaded, type MeshWish } from '../command/source.ts';
import { meshFileOptions, partOf, reportOf, writeOut, type MeshFileWish, type Written } from '../command/written.ts';
import { measureMesh } from '../geometry/mesh.ts';
import { identityRows } from '../geometry/rows.ts';
import { nodeTools } from '../pipeline/node-tools.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, safeFileName } from '../recipe/recipe.ts';
import type { OperationPart, Outcome, Wording } from '../operations/operation.ts';
import { meshIn } from '../operations/shape.ts';
import { operate, operations, type OperationRequest } from '../operations/registry.ts';

/** Formats of meshes that a folder is filled with. */
export const meshFormat = { format: choice(['stl', '3mf', 'obj', 'ply', 'step'], 'stl', 'What is written.') };

/** A mesh in mm as an operation takes it. What operations never ask of a mesh is left empty. */
export function operand({ name, mesh, colour }: Pick<Loaded, 'name' | 'mesh' | 'colour'>): OperationPart {
  const { box, volume, area, centre } = measureMesh(mesh);
  const unknown = { faces: null, triangles: mesh.triangles.length / 3, shells: 0, openEdges: null, nonManifoldEdges: null, flippedEdges: null, degenerateTriangles: null, survey: null }; // prettier-ignore
  const summary = { name, path: [name], kind: 'mesh' as const, quantity: 1, colour, unit: 'mm', format: 'mesh', box, volume, area, centre, ...unknown };
  return { id: name, summary, recipe: firstRecipe(summary, readyReceivers), place: identityRows, geometry: { kind: 'mesh', mesh } };
}

/** An operation on meshes without a server: nothing is cancelled, nothing kept but what is made. */
export function operated(request: OperationRequest, parts: readonly OperationPart[]): Promise<Outcome> {
  const keep = () => Promise.reject(new Error('the command line writes its own files'));
  return operate({ request, parts, tools: nodeTools, progress: () => false, keep });
}

/** All parts of a file as one operand; what had to be mended before they could be joined is told. */
async function oneOf(file: string, wish: MeshWish, told: Finding[]): Promise<OperationPart> {
  const parts = (await meshesOf(file, wish)).map(operand);
  if (parts.length === 1) return parts[0];
  const { report, made } = await operated({ kind: 'join', parts: [] }, parts);
  told.push(...(report.findings ?? []));
  return { ...parts[0], geometry: made[0].geometry };
}

/** What an operation is done to: one whole of the file, or several. */
async function operandsOf(files: readonly string[], each: 'parts' | 'files' | undefined, wish: MeshWish, told: Finding[]): Promise<OperationPart[]> {
  if (!each) return [operand(await wholeOf(files[0], wish))];
  const parts: OperationPart[] = [];
  for (const file of files) {
    if (each === 'files') parts.push(await oneOf(file, wish, told));
    else parts.push(...(await meshesOf(file, wish)).map(operand));
  }
  return parts;
}

type Wish = MeshWish & MeshFileWish & { format?: string };
type Worded = Wording<OperationRequest, Options>;

/** Reads, does, writes and proves, tells. */
async function run(kind: OperationRequest['kind'], worded: Worded, asked: Asked<Options>): Promise<Report> {
  const wish = asked as unknown as Wish;
  const request = { kind, part: '', parts: [], ...worded.request(asked) } as unknown as OperationRequest;
  const told: Finding[] = [];
  // A deviation of the operation's own is a limit to keep, not how fine its facets are.
  const facets = 'deviation' in worded.options ? { ...wish, deviation: null } : wish;
  const before = await operandsOf(asked.files, worded.each, facets, told);
  const done = await operated(request, before);
  const { json, said, findings = [] } = worded.tell(done, before, asked);
  const written = await write(done, before, worded, asked);
  const report = reportOf(asked.files[0], json, { said: said, written: written, findings: [...told, ...findings] });
  return worded.most === 1 ? report : { ...report, json: { inputs: asked.files, ...(report.json as object) } };
}

/** What was made to one file, or one after another into a folder. */
async function write(done: Outcome, [first]: readonly OperationPart[], worded: Worded, asked: Asked<Options>): Promise<Written[]> {
  const wish = asked as unknown as Wish;
  const { colour, name } = first.summary;
  const shapes = done.made.length > 0 ? done.made : [first];
  if (!worded.suffix) return [await writeOut(asked.out, [partOf(name, meshIn(shapes[0]), colour)], wish)];
  const base = safeFileName(basename(asked.files[0], extname(asked.files[0])));
  const written: Written[] = [];
  for (const [i, shape] of shapes.entries()) {
    const suffix = worded.suffix(done, i, asked);
    const file = join(asked.out, `${base}_${suffix}_${wish.unit}.${wish.format}`);
    written.push(await writeOut(file, [partOf(`${base} ${suffix}`, meshIn(shape), colour)], wish));
  }
  return written;
}

/** The commands that come from operations. */
export const operationCommands: Command[] = operations.flatMap(({ kind, command: worded }) => {
  if (!worded) return [];
  const { word, takes, least, most, out, does, example } = worded;
  const options: Options = {
    ...worded.options,
    ...readOptions,
    ...facetOptions,
    ...worded.options,
    ...meshFileOptions,
    ...(out.kind === 'folder' ? meshFormat : {}),
  };
  return [command({ word, takes, least, most, out, options, does, example, run: (asked) => run(kind, worded, asked) })];
});
