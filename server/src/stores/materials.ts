import { sql } from 'kysely';
import { Unusable } from 'tall-kite/base/finding';
import { materialSchema, mostMaterials, type Material } from 'tall-kite/materials/materials';
import type { Database } from '../database/connect.ts';
import { namedStore } from './named.ts';

const kept = namedStore<Material>('materials', 'material');

/** A material as the pages see it. */
export interface StoredMaterial {
  id: string;
  version: number;
  material: Material;
  /** Parts of jobs that are made of it, and in how many jobs. */
  parts: number;
  jobs: number;
}

/** Checks a material that comes from outside. @throws Unusable with the field and the limit. */
export function checkMaterial(input: unknown): Material {
  const { value, error } = materialSchema.validate(input, { convert: false });
  if (error) throw new Unusable('bad-material', `${error.message}.`.replace(/\.\.$/, '.'), 'Correct the value; nothing was changed.');
  const names = [value.name, ...value.also].map((n) => n.toLowerCase());
  if (new Set(names).size < names.length)
    throw new Unusable('name-twice', `"${value.name}" is called the same twice.`, 'Name each of its names once; nothing was changed.');
  return value;
}

/** All materials by name, with what is made of them. */
export async function materials(db: Database): Promise<StoredMaterial[]> {
  const list = await kept.list(db);
  const { rows } = await sql<{ name: string; parts: string; jobs: string[] }>`
    select lower(trim(material)) as name, count(*) as parts, array_agg(distinct job_id::text) as jobs
    from parts where not removed and material is not null group by 1`.execute(db);
  const by = new Map(rows.map((r) => [r.name, r]));
  return list.map(({ id, version, content }) => {
    const found = [content.name, ...content.also].flatMap((n) => by.get(n.trim().toLowerCase()) ?? []);
    return {
      id,
      version,
      material: content,
      parts: found.reduce((n, r) => n + Number(r.parts), 0),
      jobs: new Set(found.flatMap((r) => r.jobs)).size,
    };
  });
}

/** A name means one material: neither its own nor another of its names may be one of another's. @throws Unusable with both names */
async function refuseSharedNames(db: Database, material: Material, id: string | null): Promise<void> {
  const names = new Set([material.name, ...material.also].map((n) => n.trim().toLowerCase()));
  for (const other of await kept.list(db)) {
    if (other.id === id) continue;
    const shared = [other.content.name, ...other.content.also].find((n) => names.has(n.trim().toLowerCase()));
    if (shared !== undefined)
      throw new Unusable('name-taken', `"${shared}" is ${other.content.name} already.`, 'A name means one material: take it from one of them.');
  }
}

/** Keeps a new material. @throws Unusable when one of its names is taken or there are too many. */
export async function addMaterial(db: Database, material: Material): Promise<string> {
  await refuseSharedNames(db, material, null);
  const { count } = await db
    .selectFrom('materials')
    .select((e) => e.fn.countAll<string>().as('count'))
    .where('removed', '=', false)
    .executeTakeFirstOrThrow();
  if (Number(count) >= mostMaterials.kept)
    throw new Unusable('too-many', `The stores hold up to ${mostMaterials.kept} materials.`, 'Take one away that is not used.');
  return kept.add(db, material);
}

/** Changes a material. @throws Unusable when one of its names is taken; Overtaken when somebody changed it since. */
export async function changeMaterial(db: Database, id: string, version: number, material: Material): Promise<void> {
  await refuseSharedNames(db, material, id);
  await kept.change(db, id, version, material);
}

export const { remove: removeMaterial } = kept;
