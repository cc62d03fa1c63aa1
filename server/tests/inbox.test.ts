/** The receivers' inboxes at their door: keys, names, sizes, foreign callers. */
import type { AddressInfo } from 'node:net';
import { request } from 'node:http';
import type { Server } from 'node:http';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { HeavyThread } from '../dist/heavy/heavy.js';
import { inboxOf, inboxServer } from '../dist/releases/inbox.js';
import { dataFile, makeWorld, type World } from './world.ts';

let world: World;
let heavy: HeavyThread;
let server: Server;
beforeAll(async () => {
  world = await makeWorld();
  heavy = new HeavyThread(world.dataDir);
  server = inboxServer(world.db as never, world.blobs as never, heavy);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
});
afterAll(async () => {
  server?.close();
  await heavy?.close();
  await world?.close();
});

const helix = dataFile('Helix.stl');
const knot = dataFile('sphereWithHole.stl');
const send = async (receiver: string, bytes: Uint8Array, key?: string, name = 'a.stl') => {
  const { port } = server.address() as AddressInfo;
  const response = await fetch(`http://127.0.0.1:${port}/inbox/${receiver}?name=${encodeURIComponent(name)}`, { method: 'POST', body: bytes as never, headers: key ? { 'Idempotency-Key': key } : {} }); // prettier-ignore
  return { status: response.status, body: (await response.json()) as { accepted: boolean; said: string; remedy: string } };
};
/** A request whose Host and Origin are as wished. */
const raw = (path: string, headers: Record<string, string>) =>
  new Promise<number>((done, failed) => {
    const { port } = server.address() as AddressInfo;
    request({ port, host: '127.0.0.1', path, headers }, (response) => (response.resume(), done(response.statusCode!)))
      .on('error', failed)
      .end();
  });

describe('a key', () => {
  test('the same file sent twice under it is taken once, with the same answer', async () => {
    const first = await send('lark', helix, 'k1');
    const second = await send('lark', helix, 'k1');
    expect([first.status, second.status]).toEqual([200, 200]);
    expect(second.body.said).toBe(first.body.said);
    expect(await inboxOf(world.db as never, 'lark')).toHaveLength(1);
  });
  test('other bytes, or another receiver, do not get the answer of the first', async () => {
    const before = (await inboxOf(world.db as never, 'lark')).length;
    for (const [receiver, bytes] of [
      ['lark', knot],
      ['wren', helix],
    ] as const) {
      const { status, body } = await send(receiver, bytes, 'k1');
      expect(status).toBe(409);
      expect(body).toMatchObject({ accepted: false, said: expect.stringContaining('was used for another file') as string });
    }
    expect(await inboxOf(world.db as never, 'lark')).toHaveLength(before);
    expect(await inboxOf(world.db as never, 'wren')).toHaveLength(0);
  });
  test('two different files under one key at the same moment: one is taken, the other is told', async () => {
    const answers = await Promise.all([send('wren', helix, 'k2'), send('wren', knot, 'k2')]);
    // Which one comes first is chance; the other one is told that the key is taken.
    expect(answers.filter((a) => a.status === 409)).toHaveLength(1);
    expect(await inboxOf(world.db as never, 'wren')).toHaveLength(1);
  });
  test('without one each sending counts', async () => {
    await send('swift', helix);
    await send('swift', helix);
    expect(await inboxOf(world.db as never, 'swift')).toHaveLength(2);
  });
});

describe('at the door', () => {
  test('names lead nowhere and are kept as they are shown; none at all is refused', async () => {
    await send('lark', helix, 'k3', '../../etc/\u202epasswd\u0000.stl');
    expect((await inboxOf(world.db as never, 'lark'))[0].fileName).toBe('\ufffdpasswd.stl');
    expect((await send('lark', helix, 'k4', '')).status).toBe(400);
  });
  test('what is no file is refused in a sentence with a remedy', async () => {
    const { status, body } = await send('lark', new TextEncoder().encode('dear reader'), 'k5');
    expect(status).toBe(422);
    expect(body.said).toMatch(/\.$/);
  });
  test('foreign callers, unknown receivers and other verbs', async () => {
    expect(await raw('/inbox/lark', { Host: 'elsewhere.example' })).toBe(403);
    expect(await raw('/inbox/lark', { Host: '127.0.0.1', Origin: 'http://elsewhere.example' })).toBe(403);
    expect(await raw('/inbox/lark', { Host: '127.0.0.1' })).toBe(200);
    expect(await raw('/inbox/nobody', { Host: '127.0.0.1' })).toBe(404);
    expect(await raw('/inbox/..%2flark', { Host: '127.0.0.1' })).toBe(404);
    const { port } = server.address() as AddressInfo;
    expect((await fetch(`http://127.0.0.1:${port}/inbox/lark`, { method: 'DELETE' })).status).toBe(405);
  });
});
