import { afterEach, describe, expect, test } from 'vitest';
import { Unusable } from 'tall-kite/base/finding';
import { answer, failure, jsonBody, refuse } from '../server/answer.ts';
import { hostAllowed, originAllowed } from '../server/guard.ts';
import { attachment } from '../server/stored.ts';

const request = (headers: Record<string, string>, method = 'GET', body?: string) => new Request('http://127.0.0.1:4180/api/jobs', { method, headers, body });
const host = '127.0.0.1:4180';
const errorOf = async (response: Response) => (await response.json()).error;

describe('who may ask', () => {
  const before = process.env.HOST;
  afterEach(() => {
    process.env.HOST = before;
  });
  test('loopback by any of its names and ports; nothing that only looks like it', () => {
    for (const good of ['localhost', 'localhost:3000', '127.0.0.1:4180', '[::1]:4180', 'LOCALHOST:1']) expect([good, hostAllowed(good)]).toEqual([good, true]);
    for (const bad of [null, '', 'evil.example', 'localhost.evil.example', '127.0.0.1.evil.example:80', '192.168.1.5:4180', '0.0.0.0'])
      expect([bad, hostAllowed(bad)]).toEqual([bad, false]);
  });
  test('a HOST that was chosen is answered, the wildcard is not a name', () => {
    process.env.HOST = 'workshop.lan';
    expect(hostAllowed('workshop.lan:4180')).toBe(true);
    process.env.HOST = '0.0.0.0';
    expect(hostAllowed('0.0.0.0:4180')).toBe(false);
  });
  test('changes come from our own pages, or from no page at all', () => {
    expect(originAllowed(null, host)).toBe(true);
    expect(originAllowed(`http://${host}`, host)).toBe(true);
    for (const bad of ['http://evil.example', 'http://127.0.0.1:9999', 'null', 'not an address']) expect([bad, originAllowed(bad, host)]).toEqual([bad, false]);
  });
  test('reading with a foreign origin is not a change; changing is', () => {
    const origin = 'http://evil.example';
    expect(refuse(request({ host, origin }))).toBeNull();
    for (const method of ['POST', 'PATCH', 'DELETE', 'PUT']) expect(refuse(request({ host, origin }, method))!.status).toBe(403);
    expect(refuse(request({ host: 'evil.example' }))!.status).toBe(403);
  });
});

describe('answers', () => {
  test('a result is JSON that is not stored; nothing is an empty object', async () => {
    const response = await answer(request({ host }), async () => undefined);
    expect([response.status, response.headers.get('cache-control'), await response.json()]).toEqual([200, 'no-store', {}]);
  });
  test('a refusal keeps its sentence; the status follows its code', async () => {
    const thrown = (code: string) => failure(new Unusable(code, 'It is so.', 'Do this.'));
    expect(thrown('no-such-job').status).toBe(404);
    expect(thrown('too-large').status).toBe(413);
    expect(thrown('bad-change').status).toBe(400);
    expect(await errorOf(thrown('bad-change'))).toEqual({ code: 'bad-change', message: 'It is so.', remedy: 'Do this.' });
  });
  test('an identifier that is none is a wrong address; a broken-off upload is not a fault of the server', async () => {
    expect(failure({ code: '22P02' }).status).toBe(404);
    expect((await errorOf(failure(new Error('aborted')))).code).toBe('broken-off');
  });
  test('a body that is no JSON, or far too long', async () => {
    await expect(jsonBody(request({ host }, 'POST', '{'))).rejects.toMatchObject({ code: 'not-json' });
    await expect(jsonBody(request({ host }, 'POST', `"${'x'.repeat(200_000)}"`))).rejects.toMatchObject({ code: 'too-large' });
    expect(await jsonBody(request({ host }, 'POST', '{"a":1}'))).toEqual({ a: 1 });
  });
});

describe('names of downloads (RFC 6266, RFC 8187)', () => {
  test('plain, quoted and foreign names', () => {
    expect(attachment('part_mm.stl')).toBe(`attachment; filename="part_mm.stl"; filename*=UTF-8''part_mm.stl`);
    expect(attachment('Ständer "1".stl')).toBe(`attachment; filename="St_nder _1_.stl"; filename*=UTF-8''St%C3%A4nder%20%221%22.stl`);
    expect(attachment("a'(b)*.stl")).toContain(`UTF-8''a%27%28b%29%2A.stl`);
    expect(attachment('a\r\nb.stl')).not.toMatch(/[\r\n]/);
  });
});
