import { Readable } from 'node:stream';
import { Unzip, UnzipInflate, UnzipPassThrough } from 'fflate';
import Joi from 'joi';
import { asUnusable, Unusable } from 'tall-kite/base/finding';
import { choicesSchema, type ReadChoices } from 'tall-kite/model/choices';
import { mostBytes } from 'tall-kite/pipeline/read';
import { zipped } from 'tall-kite/release/zip';
import { safeFileName, type Recipe } from 'tall-kite/recipe/recipe';
import { recipeSchema } from 'tall-kite/recipe/schema';
import type { Database } from '../database/connect.ts';
import type { Blobs } from '../storage/blobs.ts';
import { keepDesign, makeShelf } from './designs.ts';

/** What a zip of a shelf says of its files. */
interface Manifest {
  shelf: string;
  designs: { file: string; name: string; sha256: string; tags: string[]; recipes: (Recipe | null)[] | null; choices?: ReadChoices | null }[];
}

const manifestName = 'shelf.json';
const mostEntries = 5000;
/** Most bytes that a zip may unfold to. */
const mostUnfolded = 4 * 2 ** 30;

/** A shelf (null: what stands on none) as one zip with a manifest, file after file. */
export async function shelfZip(db: Database, blobs: Blobs, shelf: string | null): Promise<{ name: string; bytes: AsyncGenerator<Uint8Array> }> {
  const named = shelf ? await db.selectFrom('shelves').select('name').where('id', '=', shelf).executeTakeFirst() : { name: 'no shelf' };
  if (!named) throw new Unusable('no-such-shelf', 'That shelf is not there any more.', 'Reload the page.');
  const rows = await db
    .selectFrom('kept_designs')
    .select(['file_name', 'sha256', 'tags', 'recipes', 'choices'])
    .where('shelf_id', shelf ? '=' : 'is', shelf)
    .where('removed', '=', false)
    .where('replaced_by', 'is', null)
    .orderBy('file_name')
    .orderBy('id')
    .execute();
  const taken = new Set<string>([manifestName]);
  const designs = rows.map((row) => ({
    file: freeName(row.file_name, taken),
    name: row.file_name,
    sha256: row.sha256,
    tags: row.tags,
    recipes: row.recipes,
    choices: row.choices,
  }));
  const manifest: Manifest = { shelf: named.name, designs };
  const files = [
    { name: manifestName, bytes: () => Promise.resolve(new TextEncoder().encode(`${JSON.stringify(manifest, null, 2)}\n`)) },
    ...designs.map(({ file, sha256 }) => ({ name: file, bytes: () => blobs.read(sha256) })),
  ];
  return { name: `${safeFileName(named.name)}_shelf.zip`, bytes: zipped(files) };
}

function freeName(name: string, taken: Set<string>): string {
  const [, base, ending] = /^(.*?)(\.[^.]*)?$/.exec(name)!;
  const plain = safeFileName(base);
  let free = `${plain}${ending ?? ''}`;
  for (let i = 2; taken.has(free.toLowerCase()); i++) free = `${plain}_${i}${ending ?? ''}`;
  taken.add(free.toLowerCase());
  return free;
}

/** What came of taking in a zip. */
export interface TakenIn {
  shelf: string | null;
  kept: number;
  doubles: { file: string; as: string }[];
  skipped: { file: string; why: string; remedy: string }[];
}

const manifestSchema = Joi.object<Manifest>({
  shelf: Joi.string().trim().min(1).max(60).required(),
  designs: Joi.array()
    .items(
      Joi.object({
        file: Joi.string().max(300).required(),
        name: Joi.string().max(300).required(),
        sha256: Joi.string().hex().length(64).required(),
        tags: Joi.array().items(Joi.string().max(40)).max(20).required(),
        recipes: Joi.array().items(recipeSchema.allow(null)).max(5000).allow(null).required(),
        // Absent in zips of earlier versions.
        choices: choicesSchema.allow(null),
      }),
    )
    .max(mostEntries)
    .required(),
});

/**
 * Takes a zip into the stores, file by file: one of ours with its shelf, tags and recipes, or any other zip of designs. Doubles and what is no design are told.
 * @throws Unusable when it is no zip, or unfolds to too much
 */
export async function takeShelfZip(db: Database, blobs: Blobs, zip: Uint8Array, wanted: { shelf: string | null }): Promise<TakenIn> {
  const entries = unfolded(zip);
  const manifest = manifestOf(entries.find((e) => e.name === manifestName)?.bytes);
  const out: TakenIn = { shelf: wanted.shelf ?? (manifest && (await shelfNamed(db, manifest.shelf))), kept: 0, doubles: [], skipped: [] };
  for (const { name, bytes } of entries) {
    if (name === manifestName && manifest) continue;
    const said = manifest?.designs.find((d) => d.file === name) ?? { name: name.split('/').pop()!, tags: [], recipes: null, choices: null };
    try {
      const how = { shelf: out.shelf, tags: said.tags, recipes: said.recipes, choices: said.choices };
      const kept = await keepDesign(db, blobs, { name: said.name, source: Readable.from([Buffer.from(bytes)]), announced: bytes.length }, how);
      if (kept.double) out.doubles.push({ file: said.name, as: kept.double });
      else out.kept++;
    } catch (thrown) {
      const { message, remedy } = asUnusable(thrown);
      out.skipped.push({ file: said.name, why: message, remedy });
    }
  }
  return out;
}

/** The shelf of a name, made when there is none. */
async function shelfNamed(db: Database, name: string): Promise<string> {
  const there = await db.selectFrom('shelves').select('id').where('name', '=', name).where('removed', '=', false).executeTakeFirst();
  return there?.id ?? makeShelf(db, name);
}

function manifestOf(bytes: Uint8Array | undefined): Manifest | null {
  if (!bytes) return null;
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder().decode(bytes));
  } catch {
    throw new Unusable('bad-manifest', `"${manifestName}" in the zip can not be read.`, 'Export the shelf once more, or take that file out of the zip.');
  }
  const { error, value: manifest } = manifestSchema.validate(value, { convert: false });
  if (error)
    throw new Unusable('bad-manifest', `"${manifestName}" in the zip says something that is not known: ${error.message}.`, 'Export the shelf once more.');
  return manifest;
}

/** Bytes of a zip that are looked at together. */
const piece = 1 << 16;

/** The files of a zip, bounded in number and in what they unfold to. */
function unfolded(zip: Uint8Array): { name: string; bytes: Uint8Array }[] {
  if (zip[0] !== 0x50 || zip[1] !== 0x4b) throw new Unusable('no-zip', 'That is no zip.', 'Choose a zip of a shelf, or of designs.');
  const out: { name: string; bytes: Uint8Array }[] = [];
  let [total, failed] = [0, null as Unusable | null];
  const unzip = new Unzip((file) => {
    if (file.name.endsWith('/') || /(^|\/)(__MACOSX|\.)/.test(file.name)) return;
    if (out.length >= mostEntries) failed ??= new Unusable('too-many-files', `The zip has more than ${mostEntries} files.`, 'Make several of it.');
    const pieces: Uint8Array[] = [];
    let size = 0;
    file.ondata = (error, data, final) => {
      if (error) failed ??= new Unusable('bad-zip', `"${file.name}" in the zip is damaged.`, 'Make the zip once more.');
      size += data.length;
      total += data.length;
      if (size > mostBytes || total > mostUnfolded) {
        failed ??= new Unusable('too-large', `"${file.name}" unfolds to more than is opened.`, 'Take it out of the zip.');
        file.terminate();
        return;
      }
      pieces.push(data);
      if (final) out.push({ name: file.name, bytes: Buffer.concat(pieces) });
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  unzip.register(UnzipPassThrough);
  // In pieces, so that a bomb is seen before it has unfolded; small ones, since the library goes one call deeper for every file in a piece.
  try {
    for (let at = 0; at < zip.length && !failed; at += piece) unzip.push(zip.subarray(at, at + piece), at + piece >= zip.length);
  } catch {
    failed ??= new Unusable('bad-zip', 'The zip is damaged.', 'Make the zip once more.');
  }
  if (failed) throw failed;
  if (out.length === 0) throw new Unusable('empty-zip', 'There is nothing in that zip.', 'Choose another.');
  return out;
}
