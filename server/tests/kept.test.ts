/** Designs in the stores: kept once, read for figures and a picture, on shelves, replaced, used in jobs, in and out as a zip. */
import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import type { Unusable } from 'tall-kite/base/finding';
import { decodePicture } from 'tall-kite/formats/picture/decode';
import { binaryStl } from 'tall-kite/formats/stl/write';
import { usualChoices, type ReadChoices } from 'tall-kite/model/choices';
import { bringIn } from '../src/designs/designs.ts';
import { jobView } from '../src/jobs/jobs.ts';
import { changePart } from '../src/parts/change.ts';
import { makeVariant } from '../src/parts/variants.ts';
import {
  changeKept,
  checkTags,
  keepDesign,
  keepFromJob,
  keptDesigns,
  keptDetails,
  keptFile,
  makeShelf,
  pageOfDesigns,
  removeShelf,
  renameShelf,
  shelves,
  takeIntoJob,
} from '../src/stores/designs.ts';
import { shelfZip, takeShelfZip } from '../src/stores/shelf-zip.ts';
import { sweep } from '../src/standing/sweep.ts';
import { allRead, dataFile, makeWorld, manyBoxes, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
});
afterAll(() => world?.close());

/** A tetrahedron of its own size, as STL. */
const tetra = (size: number) => Buffer.concat([...binaryStl({ positions: Float64Array.of(0, 0, 0, size, 0, 0, 0, size, 0, 0, 0, size), triangles: Uint32Array.of(0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3) }, 1, 'tetra')]); // prettier-ignore
const keep = (name: string, bytes: Uint8Array, how = {}) =>
  keepDesign(world.db, world.blobs, { name, source: Readable.from([Buffer.from(bytes)]), announced: bytes.length }, how);
const settled = () =>
  vi.waitFor(
    async () => {
      const page = await keptDesigns(world.db, {});
      if (page.reading > 0) throw new Error('the stores are still being read');
      return page;
    },
    { timeout: 60_000, interval: 100 },
  );
const codeOf = async (work: Promise<unknown>) => work.then(
  () => null,
  (e: Unusable) => [e.code, e.remedy !== ''],
); // prettier-ignore

const all = async (bytes: AsyncGenerator<Uint8Array>) => {
  const pieces: Uint8Array[] = [];
  for await (const piece of bytes) pieces.push(piece);
  return new Uint8Array(Buffer.concat(pieces));
};

describe('keeping', () => {
  test('a solid, a mesh and a drawing: figures, and pictures that are no blank', async () => {
    await keep('tetra.stl', tetra(30), { tags: ['test', ' test ', 'small'] });
    await keep('as1.stp', dataFile('as1-oc-214.stp'));
    await keep(
      'square.svg',
      strToU8('<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="50mm" viewBox="0 0 80 50"><rect width="80" height="50"/></svg>'),
    );
    const { entries, total } = await settled();
    expect([total, entries.map((e) => e.state)]).toEqual([3, ['kept', 'kept', 'kept']]);
    const [as1, square, tet] = entries;
    expect([as1.figures!.kind, square.figures!.kind, tet.figures!.kind]).toEqual(['solid', 'drawing', 'mesh']);
    // A right corner of a cube: a sixth of it.
    expect(tet.figures).toMatchObject({ size: [30, 30, 30], triangles: 4, openEdges: 0, parts: 1 });
    expect(tet.figures!.volume! / (30 ** 3 / 6)).toBeCloseTo(1, 6);
    expect(square.figures!.size.slice(0, 2)).toEqual([80, 50]);
    expect(as1.figures!.parts).toBe(5);
    expect(tet.tags).toEqual(['test', 'small']);
    for (const { id } of entries) {
      const { picture } = await keptFile(world.db, id);
      const { data, width, height } = await decodePicture(await world.blobs.read(picture!));
      let covered = 0;
      for (let k = 3; k < data.length; k += 4) if (data[k] > 128) covered++;
      expect(covered / (width * height)).toBeGreaterThan(0.004);
      expect(covered / (width * height)).toBeLessThan(0.95);
    }
  });

  test('the same bytes are kept once, under whatever name; what is no design is refused or told', async () => {
    const { id, double } = await keep('other name.stl', tetra(30));
    expect(double).toBe('tetra.stl');
    expect((await keptDetails(world.db, id)).fileName).toBe('tetra.stl');
    expect(await codeOf(keep('letter.docx', strToU8('x')))).toEqual(['unknown-ending', true]);
    expect(await codeOf(keep('..', tetra(3)))).toEqual(['unknown-ending', true]);
    await keep('broken.stl', strToU8('solid nothing at all'));
    const broken = (await settled()).entries.find((e) => e.fileName === 'broken.stl')!;
    expect(broken).toMatchObject({ state: 'failed', figures: null, picture: null });
    expect(broken.failure!.remedy).not.toBe('');
    await changeKept(world.db, [broken.id], { removed: true });
    expect((await keptDesigns(world.db, {})).total).toBe(3);
    // What was taken away can be kept again.
    expect((await keep('broken.stl', strToU8('solid nothing at all'))).double).toBeNull();
    await settled();
    await changeKept(world.db, [(await keptDesigns(world.db, { text: 'broken' })).entries[0].id], { removed: true });
  });

  test('tags and shelf names have limits', async () => {
    expect(checkTags(Array.from({ length: 20 }, (_, i) => `t${i}`))).toHaveLength(20);
    expect(() => checkTags(Array.from({ length: 21 }, (_, i) => `t${i}`))).toThrow(/20 tags/);
    expect(checkTags(['x'.repeat(40)])).toHaveLength(1);
    expect(() => checkTags(['x'.repeat(41)])).toThrow(/40 letters/);
    expect(await codeOf(makeShelf(world.db, '  '))).toEqual(['bad-name', true]);
    expect(await codeOf(makeShelf(world.db, 'x'.repeat(61)))).toEqual(['bad-name', true]);
  });
});

describe('finding', () => {
  test('by words of name or tag, by shelf, by tag; signs of patterns are taken as they are', async () => {
    const shelf = await makeShelf(world.db, 'Small things');
    expect(await codeOf(makeShelf(world.db, 'small THINGS'))).toEqual(['shelf-there', true]);
    const { entries } = await keptDesigns(world.db, {});
    const tet = entries.find((e) => e.fileName === 'tetra.stl')!;
    await changeKept(world.db, [tet.id], { shelf });
    const names = async (wanted: Parameters<typeof keptDesigns>[1]) => (await keptDesigns(world.db, wanted)).entries.map((e) => e.fileName);
    expect(await names({ text: 'TETRA small' })).toEqual(['tetra.stl']);
    expect(await names({ text: '%' })).toEqual([]);
    expect(await names({ tag: 'small' })).toEqual(['tetra.stl']);
    expect(await names({ shelf })).toEqual(['tetra.stl']);
    expect((await names({ shelf: 'none' })).includes('tetra.stl')).toBe(false);
    expect((await shelves(world.db)).map((s) => [s.name, s.count])).toEqual([['Small things', 1]]);
    await renameShelf(world.db, shelf, 'Little things');
    await removeShelf(world.db, shelf, true);
    // What stood on a shelf that was taken away stands on none.
    expect(await names({ shelf: 'none' })).toContain('tetra.stl');
    await removeShelf(world.db, shelf, false);
    expect((await shelves(world.db)).map((s) => [s.name, s.count])).toEqual([['Little things', 1]]);
  });

  test('pages: 130 designs, each once, in the order of their names', async () => {
    await world.db
      .insertInto('kept_designs')
      .values(
        Array.from({ length: 127 }, (_, i) => ({
          shelf_id: null,
          file_name: `many ${String(i).padStart(3, '0')}.stl`,
          sha256: createHash('sha256').update(String(i)).digest('hex'),
          bytes: 1,
          tags: '[]',
          state: 'kept' as const,
          picture: null,
          revision: 1,
          replaced_by: null,
        })),
      ) // prettier-ignore
      .execute();
    const seen: string[] = [];
    for (let page = 0; page < 3; page++) {
      const { entries, total } = await keptDesigns(world.db, { page });
      expect([total, entries.length]).toEqual([130, page < 2 ? pageOfDesigns : 10]);
      seen.push(...entries.map((e) => e.fileName));
    }
    expect(new Set(seen).size).toBe(130);
    expect(seen.map((n) => n.toLowerCase())).toEqual(seen.map((n) => n.toLowerCase()).sort()); // prettier-ignore
    await world.db.deleteFrom('kept_designs').where('file_name', 'like', 'many %').execute();
  });
});

describe('jobs', () => {
  test('into a job with its recipe, out of a job with the recipes of its parts, used where its bytes are', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'first.stl', tetra(77));
    const { parts, designs } = await world.until(jobId, allRead);
    const [part] = parts;
    const recipe = { ...part.recipe, facets: { ...part.recipe.facets, deviation: 0.123 }, size: { reading: 'cm' as const, factor: 1 } };
    await changePart(world.db, part.id, { version: part.version, what: 'recipe', fields: { recipe } });
    const { id } = await keepFromJob(world.db, designs[0].id, { tags: ['from a job'] });
    await settled();
    const other = await world.job();
    await takeIntoJob(world.db, other, id);
    const came = await world.until(other, allRead);
    expect(came.parts[0].recipe.facets.deviation).toBe(0.123);
    expect(came.parts[0].recipe.size.reading).toBe('cm');
    const { used, recipes } = await keptDetails(world.db, id);
    expect([recipes, used.map((u) => u.id).sort()]).toEqual([true, [jobId, other].sort()]); // prettier-ignore
    expect(await codeOf(takeIntoJob(world.db, other, '00000000-0000-4000-8000-000000000000'))).toEqual(['no-such-design', true]);
    expect(await codeOf(keepFromJob(world.db, '00000000-0000-4000-8000-000000000000', {}))).toEqual(['not-read', true]);
    expect((await jobView(world.db, jobId)).parts[0].recipe.facets.deviation).toBe(0.123);
  });

  test('recipes go with the bodies of the file, whatever stands between them in the ledger; kept again, the stores have the newer ones', async () => {
    const jobId = await world.job();
    await world.bring(jobId, 'three.obj', manyBoxes(3));
    const first = await world.until(jobId, allRead);
    // A variant of the first body, and then a next revision: it stands between the first and the second.
    await makeVariant(world.db, jobId, { parts: [first.parts[0].id], variant: 'tall' });
    await bringIn(world.db, world.blobs, { jobId, name: 'three-B.obj', source: Readable.from([manyBoxes(3, [1])]), replaces: first.designs[0].id });
    const job = await world.until(jobId, allRead);
    expect(job.parts.map((p) => [p.name, p.variant])).toEqual([['Box 1', ''], ['Box 1', 'tall'], ['Box 2', ''], ['Box 3', '']]); // prettier-ignore
    const set = async (at: number, deviation: number) => {
      const { id, version, recipe } = (await jobView(world.db, jobId)).parts[at];
      await changePart(world.db, id, { version, what: 'recipe', fields: { recipe: { ...recipe, facets: { ...recipe.facets, deviation } } } });
    };
    for (const [at, deviation] of [0.11, 0.99, 0.22, 0.33].entries()) await set(at, deviation);
    const design = job.designs.find((d) => d.fileName === 'three-B.obj')!.id;
    const kept = await keepFromJob(world.db, design, {});
    expect(kept.double).toBe(null);
    const taken = async () => {
      const other = await world.job();
      await takeIntoJob(world.db, other, kept.id);
      return (await world.until(other, allRead)).parts.map((p) => p.recipe.facets.deviation);
    };
    expect(await taken()).toEqual([0.11, 0.22, 0.33]);
    expect(await keepFromJob(world.db, design, {})).toEqual({ id: kept.id, double: 'three-B.obj' });
    await set(2, 0.44);
    expect(await keepFromJob(world.db, design, {})).toEqual({ id: kept.id, double: 'three-B.obj', renewed: true });
    expect(await taken()).toEqual([0.11, 0.44, 0.33]);
  });

  test('a design is read as it was in its job: in the next one, for its picture, and out of a zip', async () => {
    const jobId = await world.job();
    const svg = Buffer.from('<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="20mm" viewBox="0 0 40 20"><g id="one"><path d="M1 1h10v10h-10z" stroke="#ff0000" fill="none"/><path d="M20 1h10v10h-10z" stroke="#0000ff" fill="none"/></g></svg>'); // prettier-ignore
    const bring = (choices: ReadChoices) => bringIn(world.db, world.blobs, { jobId, name: 'sign.svg', source: Readable.from([svg]), choices });
    const byColour = { ...usualChoices, layersFrom: 'colours' as const };
    const [coloured, usual] = [await bring(byColour), await bring(usualChoices)];
    const job = await world.until(jobId, allRead);
    const layers = (part: (typeof job.parts)[number]) => part.summary.drawing!.layers.length;
    expect(job.parts.map((p) => [p.designId === coloured, layers(p)]).sort()).toEqual([[false, 1], [true, 2]]); // prettier-ignore
    // The same bytes read otherwise are another design; what is read as usual is so whether that is said or not.
    const one = await keepFromJob(world.db, coloured, { tags: ['read by colours'] });
    const two = await keepFromJob(world.db, usual, {});
    expect([one.double, two.double, one.id === two.id]).toEqual([null, null, false]);
    expect((await keep('other name.svg', svg, {})).double).toBe('sign.svg');
    const other = await world.job();
    await takeIntoJob(world.db, other, one.id);
    expect((await world.until(other, allRead)).parts.map(layers)).toEqual([2]);
    await settled();
    const zip = await all((await shelfZip(world.db, world.blobs, null)).bytes);
    const manifest = JSON.parse(Buffer.from(unzipSync(zip)['shelf.json']).toString()) as { designs: { name: string; tags: string[]; choices: unknown }[] };
    expect(manifest.designs.filter((d) => d.name === 'sign.svg').map((d) => [d.tags, d.choices])).toEqual(expect.arrayContaining([[['read by colours'], byColour], [[], null]])); // prettier-ignore
    await changeKept(world.db, [one.id, two.id], { removed: true });
    await takeShelfZip(world.db, world.blobs, zip, { shelf: null });
    await settled();
    const again = (await keptDesigns(world.db, { text: 'sign' })).entries.find((e) => e.tags.includes('read by colours'))!;
    const third = await world.job();
    await takeIntoJob(world.db, third, again.id);
    expect((await world.until(third, allRead)).parts.map(layers)).toEqual([2]);
  });

  test('a next revision takes the place of the last, which is kept with where it is used; only once', async () => {
    const { entries } = await keptDesigns(world.db, { text: 'first' });
    const { id } = await keep('first B.stl', tetra(78), { replaces: entries[0].id });
    await settled();
    const found = (await keptDesigns(world.db, { text: 'first' })).entries;
    expect(found.map((e) => [e.fileName, e.revision, e.tags])).toEqual([['first B.stl', 2, ['from a job']]]);
    const details = await keptDetails(world.db, id);
    expect(details.revisions.map((r) => [r.revision, r.fileName])).toEqual([[2, 'first B.stl'], [1, 'first.stl']]); // prettier-ignore
    expect(details.used.every((u) => u.revision === 1)).toBe(true);
    expect(await codeOf(keep('first C.stl', tetra(79), { replaces: entries[0].id }))).toEqual(['replaced-already', true]);
  });

  test('what the stores hold is not swept away', async () => {
    const before = await keptDesigns(world.db, {});
    await sweep(world.db, world.dataDir, Date.now() + 400 * 24 * 3600 * 1000);
    for (const { id } of before.entries) {
      const { sha256, picture } = await keptFile(world.db, id);
      expect((await world.blobs.read(sha256)).length).toBeGreaterThan(0);
      if (picture) expect((await world.blobs.read(picture)).length).toBeGreaterThan(0);
    }
  });
});

describe('a shelf as a zip', () => {
  test('goes out with a manifest and comes back elsewhere with its shelf, tags and recipes; doubles are told', async () => {
    const [shelf] = await shelves(world.db);
    const first = (await keptDesigns(world.db, { text: 'first' })).entries[0];
    await changeKept(world.db, [first.id], { shelf: shelf.id });
    const zip = await all((await shelfZip(world.db, world.blobs, shelf.id)).bytes);
    const inside = unzipSync(zip);
    expect(Object.keys(inside).sort()).toEqual(['first-B.stl', 'shelf.json', 'tetra.stl'].sort()); // prettier-ignore
    expect(Buffer.from(inside['first-B.stl']).equals(tetra(78))).toBe(true);
    expect(await takeShelfZip(world.db, world.blobs, zip, { shelf: null })).toMatchObject({
      kept: 0,
      skipped: [],
      doubles: [{ as: expect.any(String) }, { as: expect.any(String) }],
    });
    const elsewhere = await makeWorld();
    try {
      const taken = await takeShelfZip(elsewhere.db, elsewhere.blobs, zip, { shelf: null });
      expect(taken).toMatchObject({ kept: 2, doubles: [], skipped: [] });
      const { entries, shelves: there } = await keptDesigns(elsewhere.db, {});
      expect(there.map((s) => [s.name, s.count])).toEqual([['Little things', 2]]);
      expect(entries.map((e) => [e.fileName, e.tags, e.recipes])).toEqual([
        ['first B.stl', ['from a job'], true],
        ['tetra.stl', ['test', 'small'], false],
      ]);
    } finally {
      await elsewhere.close();
    }
  });

  test('any zip of designs, folders and rubbish in it told; no zip, a bad manifest and a bomb refused', async () => {
    const mixed = zipSync({ 'models/one.stl': tetra(11), 'models/two.stl': tetra(12), 'notes.txt': strToU8('x'), '__MACOSX/models/._one.stl': strToU8('x') });
    const taken = await takeShelfZip(world.db, world.blobs, mixed, { shelf: null });
    expect(taken).toMatchObject({ shelf: null, kept: 2, skipped: [{ file: 'notes.txt' }] });
    expect(await codeOf(takeShelfZip(world.db, world.blobs, strToU8('no zip'), { shelf: null }))).toEqual(['no-zip', true]);
    expect(await codeOf(takeShelfZip(world.db, world.blobs, zipSync({ 'shelf.json': strToU8('{"shelf":1}') }), { shelf: null }))).toEqual([
      'bad-manifest',
      true,
    ]);
    expect(await codeOf(takeShelfZip(world.db, world.blobs, zipSync({ 'shelf.json': strToU8('[') }), { shelf: null }))).toEqual(['bad-manifest', true]);
    expect(await codeOf(takeShelfZip(world.db, world.blobs, zipSync({ 'a/': new Uint8Array(0) }), { shelf: null }))).toEqual(['empty-zip', true]);
    const cut = zipSync({ 'one.stl': tetra(13) });
    expect(await codeOf(takeShelfZip(world.db, world.blobs, cut.subarray(0, 60), { shelf: null }))).not.toBeNull();
    const many = zipSync(Object.fromEntries(Array.from({ length: 5001 }, (_, i) => [`${i}.stl`, new Uint8Array(1)])), { level: 0 });
    expect(await codeOf(takeShelfZip(world.db, world.blobs, many, { shelf: null }))).toEqual(['too-many-files', true]);
  });
});
