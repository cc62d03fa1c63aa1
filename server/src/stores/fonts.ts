import { createHash } from 'node:crypto';
import { Unusable } from 'tall-kite/base/finding';
import { mostFontBytes, openFace } from 'tall-kite/text/face';
import { unpacked } from 'tall-kite/text/unpack';
import type { Database } from '../database/connect.ts';

/** A font of a person's own, kept in the stores. Unpacked: plain tables, so that a page can use it. */
export interface StoredFont {
  id: string;
  name: string;
  bytes: number;
}

/** Fonts that are kept, by name. */
export async function fontsOf(db: Database): Promise<StoredFont[]> {
  const rows = await db.selectFrom('fonts').select(['id', 'name', 'bytes']).where('removed', '=', false).orderBy('name').execute();
  return rows;
}

/** A font with its bytes in base64. @throws Unusable when it is not kept here. */
export async function fontById(db: Database, id: string): Promise<{ name: string; data: string }> {
  const row = await db.selectFrom('fonts').select(['name', 'data']).where('id', '=', id).executeTakeFirst();
  if (!row) throw new Unusable('no-such-font', 'The font is not kept here any more.', 'Choose the file again.');
  return { name: row.name, data: row.data.toString('base64') };
}

/** Opens a font file and keeps it under its own name. The same bytes are kept once. @throws Unusable when it is damaged or has no outlines. */
export async function addFont(db: Database, given: Uint8Array): Promise<StoredFont> {
  if (given.length === 0 || given.length > mostFontBytes)
    throw new Unusable(
      'too-large',
      `A font has up to ${mostFontBytes / 2 ** 20} MB; this file has ${(given.length / 1e6).toFixed(1)} MB.`,
      'Choose the font file itself.',
    );
  const plain = Buffer.from(await unpacked(given));
  const { name } = await openFace(plain);
  const id = createHash('sha256').update(plain).digest('hex');
  await db
    .insertInto('fonts')
    .values({ id, name: name.slice(0, 200), bytes: plain.length, data: plain })
    .onConflict((c) => c.column('id').doUpdateSet({ removed: false }))
    .execute();
  return { id, name, bytes: plain.length };
}

/** A font's bytes. @throws Unusable when it is not kept here. */
export async function fontFile(db: Database, id: string): Promise<Buffer> {
  const row = await db.selectFrom('fonts').select('data').where('id', '=', id).executeTakeFirst();
  if (!row) throw new Unusable('no-such-font', 'The font is not kept here any more.', 'Choose the file again.');
  return row.data;
}

/** Takes a font off the list, or brings it back; drawings made with it hold it themselves. */
export async function removeFont(db: Database, id: string, removed: boolean): Promise<void> {
  const done = await db.updateTable('fonts').set({ removed }).where('id', '=', id).executeTakeFirst();
  if (done.numUpdatedRows === 0n) throw new Unusable('no-such-font', 'That font is not here.', 'Reload the page.');
}
