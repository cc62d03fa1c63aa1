/** Materials in the stores: kept, changed, taken away and brought back; what is made of them. Fonts taken away and brought back. */
import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Material } from 'tall-kite/materials/materials';
import { jobView } from '../src/jobs/jobs.ts';
import { Overtaken } from '../src/parts/change.ts';
import { fontsOf, removeFont } from '../src/stores/fonts.ts';
import { addMaterial, changeMaterial, checkMaterial, materials, removeMaterial } from '../src/stores/materials.ts';
import { allRead, makeWorld, type World } from './world.ts';

let world: World;
beforeAll(async () => {
  world = await makeWorld();
  world.worker();
});
afterAll(() => world?.close());

const alu: Material = { name: 'aluminium 5754', also: ['AlMg3'], density: 2.67, comes: [{ thickness: 2, minus: 0.1, plus: 0.1 }], bends: null };
const codeOf = async (work: Promise<unknown>) =>
  work.then(
    () => null,
    (e: { code?: string }) => e.code ?? e,
  );

test('kept, changed with its version, taken away, brought back; a name stands once', async () => {
  const { db } = world;
  const id = await addMaterial(db, checkMaterial(alu));
  expect((await materials(db)).map((m) => [m.material, m.version, m.parts])).toEqual([[alu, 1, 0]]);
  expect(await codeOf(addMaterial(db, { ...alu, name: 'ALUMINIUM 5754' }))).toBe('name-taken');
  expect(await codeOf(addMaterial(db, { ...alu, name: 'light metal', also: ['ALMG3'] }))).toBe('name-taken');
  expect(await codeOf(addMaterial(db, { ...alu, name: 'almg3', also: [] }))).toBe('name-taken');
  await changeMaterial(db, id, 1, { ...alu, density: 2.66 });
  expect(await changeMaterial(db, id, 1, alu).catch((e: unknown) => e)).toBeInstanceOf(Overtaken);
  expect((await materials(db))[0].material.density).toBe(2.66);
  await removeMaterial(db, id, true);
  expect(await materials(db)).toEqual([]);
  const other = await addMaterial(db, alu);
  expect(await codeOf(removeMaterial(db, id, false))).toBe('name-taken');
  await removeMaterial(db, other, true);
  await removeMaterial(db, id, false);
  expect((await materials(db)).map((m) => m.id)).toEqual([id]);
  expect(await codeOf(removeMaterial(db, '00000000-0000-4000-8000-000000000000', true))).toBe('not-in-stores');
});

test('what can not be is said with the field', () => {
  const code = (input: unknown) => {
    try {
      return checkMaterial(input);
    } catch (thrown) {
      return [(thrown as { code: string }).code, (thrown as Error).message];
    }
  };
  expect(code({ ...alu, also: ['Aluminium 5754'] })).toEqual(['name-twice', '"aluminium 5754" is called the same twice.']);
  expect(code({ ...alu, density: -1 })).toEqual(['bad-material', expect.stringContaining('density')]);
  expect(code(null)).toEqual(['bad-material', expect.any(String)]);
});

test('parts that are made of it count by any of its names, in jobs', async () => {
  const { db } = world;
  for (const name of ['AlMg3', ' Aluminium 5754 ']) {
    const job = await world.job();
    await world.bring(job, 'sphereWithHole.stl');
    await world.until(job, (j) => j.designs.length === 1 && allRead(j));
    const [part] = (await jobView(db, job)).parts;
    await db.updateTable('parts').set({ material: name }).where('id', '=', part.id).execute();
  }
  const [{ parts, jobs }] = await materials(db);
  expect([parts, jobs]).toEqual([2, 2]);
});

test('a font that was taken away comes back', async () => {
  const { db } = world;
  await db.insertInto('fonts').values({ id: 'f', name: 'Lamp', bytes: 1, data: Buffer.of(0) }).execute(); // prettier-ignore
  await removeFont(db, 'f', true);
  expect(await fontsOf(db)).toEqual([]);
  await removeFont(db, 'f', false);
  expect((await fontsOf(db)).map((f) => f.name)).toEqual(['Lamp']);
  expect(await codeOf(removeFont(db, 'none', true))).toBe('no-such-font');
});
