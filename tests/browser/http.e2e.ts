import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { JobView } from '../../server/src/jobs/jobs.ts';
import { unpackView } from '../../core/src/view/view.ts';
import { allRead, allWritten } from '../../server/tests/world.ts';
import { dataPath, startSite, type Site } from './app.ts';

let site: Site;
beforeAll(async () => {
  site = await startSite();
});
afterAll(() => site?.close());

const call = async (method: string, path: string, body?: unknown) => {
  const response = await fetch(site.base + path, { method, body: body === undefined ? undefined : JSON.stringify(body) });
  return {
    status: response.status,
    json: (await response.json()) as never as Record<string, never> & { error: { code: string; message: string; remedy: string } },
  };
};
const newJob = async (name = 'A job') => (await call('POST', '/api/jobs', { name })).json.id as string;
const send = async (job: string, name: string, bytes: Uint8Array) => {
  const response = await fetch(`${site.base}/api/jobs/${job}/designs?name=${encodeURIComponent(name)}`, { method: 'POST', body: bytes as never });
  return { status: response.status, json: await response.json() };
};
const jobOf = async (id: string) => (await call('GET', `/api/jobs/${id}`)).json as unknown as JobView;
/** Every refusal is a sentence with a remedy, also sentences. */
const isSentence = (error: { message: string; remedy: string }) => {
  expect(error.message).toMatch(/^[A-Z"].*\.$/);
  expect(error.remedy).toMatch(/^[A-Z].*\.$/);
};

describe('uploads', () => {
  test('bytes are kept as they were, with their SHA-256, whatever the name; the name is shown, never a path', async () => {
    const job = await newJob();
    const bytes = readFileSync(dataPath('Helix.stl'));
    expect((await send(job, '../../../etc/Hélix part.stl', bytes)).status).toBe(200);
    const view = await site.world.until(job, allRead);
    const [design] = view.designs;
    expect(design).toMatchObject({ fileName: 'Hélix part.stl', bytes: bytes.length, sha256: createHash('sha256').update(bytes).digest('hex') });
    expect((await site.world.blobs.read(design.sha256)).equals(bytes)).toBe(true);
    expect(view.parts[0].name).toBe('Hélix part');
  });
  test('each kind of bad file leaves the job whole and says what to do', async () => {
    const job = await newJob();
    const step = readFileSync(dataPath('cube-mm.step')).toString('latin1');
    const wanted: [string, string | Buffer, string][] = [
      ['letter.stl', 'dear reader, this is a letter about a part and not the part itself; it goes on for a while so that it is long enough', 'not-stl'],
      ['picture.png', '\u0089PNG', 'no-picture'],
      ['half.step', step.slice(0, step.length / 2), 'cut-off'],
      ['other.step', 'hello', 'not-step'],
      ['count.stl', Buffer.concat([Buffer.alloc(80), Buffer.from([255, 255, 255, 255]), Buffer.alloc(50)]), 'cut-off'],
    ];
    for (const [name, bytes] of wanted) expect((await send(job, name, Buffer.from(bytes as string))).status).toBe(200);
    const view = await site.world.until(job, allRead);
    expect(view.parts).toEqual([]);
    for (const [name, , code] of wanted) {
      const failure = view.designs.find((d) => d.fileName === name)!.failure!;
      expect({ name, code: failure.code }).toEqual({ name, code });
      isSentence(failure);
    }
    for (const design of view.designs) expect((await call('DELETE', `/api/designs/${design.id}`)).status).toBe(200);
    expect((await jobOf(job)).designs).toEqual([]);
  });
  test('STEP with a reference to nothing is read as far as it goes, and the loss is a stop', async () => {
    const job = await newJob();
    const step = readFileSync(dataPath('cube-mm.step')).toString('latin1');
    await send(job, 'broken.step', Buffer.from(step.replace(/CLOSED_SHELL\('([^']*)',\(#\d+/, "CLOSED_SHELL('$1',(#999999")));
    const [design] = (await site.world.until(job, allRead)).designs;
    const said = design.failure ? [design.failure.code] : design.findings.filter((f) => f.severity === 'stop').map((f) => f.code);
    expect(said).toContain('broken-references');
  });
  test('no name, no job, more than the limit said: refused before anything is kept', async () => {
    const job = await newJob();
    expect((await send(job, '', Buffer.from('x'))).json.error.code).toBe('no-name');
    expect((await send('00000000-0000-4000-8000-000000000000', 'x.stl', Buffer.from('x'))).status).toBe(404);
    expect((await jobOf(job)).designs).toEqual([]);
  });
});

describe('jobs, parts and history over HTTP', () => {
  test('the whole way by requests alone: bring in, change, write, fetch, prove', async () => {
    const job = await newJob('By requests');
    await send(job, 'cube.step', readFileSync(dataPath('cube-in.step')));
    const [part] = (await site.world.until(job, allRead)).parts;
    const recipe = { ...part.recipe, receiver: 'wren', file: { ...part.recipe.file, encoding: 'ascii', unit: 'mm', name: 'a cube: "1 m"' } };
    const changed = await call('PATCH', `/api/parts/${part.id}`, { version: part.version, what: 'ascii', fields: { recipe } });
    expect(changed).toMatchObject({ status: 200, json: { version: part.version + 1, jobId: job } });
    await call('POST', `/api/parts/${part.id}/write`);
    const file = (await site.world.until(job, allWritten)).parts[0].file!;
    expect(file).toMatchObject({ state: 'written', fileName: 'a-cube_-_1-m.stl', stale: false });
    const response = await fetch(`${site.base}/api/files/${file.id}`);
    const bytes = Buffer.from(await response.arrayBuffer());
    expect(response.headers.get('content-disposition')).toBe(`attachment; filename="a-cube_-_1-m.stl"; filename*=UTF-8''a-cube_-_1-m.stl`);
    expect(response.headers.get('x-content-type-options')).toBe('nosniff');
    expect(bytes.toString('latin1', 0, 6)).toBe('solid ');
    expect(createHash('sha256').update(bytes).digest('hex')).toBe(file.sha256);
    const again = await fetch(`${site.base}/api/files/${file.id}`, { headers: { 'If-None-Match': response.headers.get('etag')! } });
    expect(again.status).toBe(304);
    const evidence = await fetch(`${site.base}/api/files/${file.id}/evidence`).then((r) => r.json());
    expect(evidence.file).toMatchObject({ sha256: file.sha256, bytes: bytes.length });
    // A cube of 1000 mm does not fit a resin printer, and only that is wrong with it.
    expect(evidence.verdict).toBe('stop');
    expect(evidence.findings.map((f: { code: string }) => f.code)).toEqual(['off-the-bed']);
    expect(evidence.claims.every((c: { verdict: string }) => c.verdict === 'clear')).toBe(true);
    const page = await fetch(`${site.base}/api/files/${file.id}/evidence?as=page`);
    expect(page.headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(await page.text()).toContain('1 000.000'.replace(' ', '\u202f'));
  });
  test('a version that is behind: 409, the sentence, nothing changed; undo and redo by requests', async () => {
    const job = await newJob();
    await send(job, 'h.stl', readFileSync(dataPath('Helix.stl')));
    const [part] = (await site.world.until(job, allRead)).parts;
    const change = (version: number, quantity: number) => call('PATCH', `/api/parts/${part.id}`, { version, what: `count ${quantity}`, fields: { quantity } });
    expect((await change(part.version, 3)).status).toBe(200);
    const late = await change(part.version, 5);
    expect(late).toMatchObject({ status: 409, json: { error: { code: 'overtaken' } } });
    isSentence(late.json.error);
    expect((await jobOf(job)).parts[0].quantity).toBe(3);
    expect((await call('POST', `/api/jobs/${job}/history`, { direction: 'undo' })).json.what).toBe('count 3');
    expect(await jobOf(job)).toMatchObject({ undo: null, redo: 'count 3', parts: [{ quantity: 1 }] });
    expect((await call('POST', `/api/jobs/${job}/history`, { direction: 'redo' })).json.what).toBe('count 3');
    expect((await call('POST', `/api/jobs/${job}/history`, { direction: 'sideways' })).status).toBe(400);
  });
  test('a part can be drawn from what is served: closed, of the right size, with its edges', async () => {
    const job = await newJob();
    await send(job, 'cube.step', readFileSync(dataPath('cube-m.step')));
    const [part] = (await site.world.until(job, allRead)).parts;
    const view = unpackView(await fetch(`${site.base}/api/parts/${part.id}/geometry?what=view`).then((r) => r.arrayBuffer()));
    expect(view.triangles).toHaveLength(36);
    expect(Array.from(view.starts)).toEqual([0, 2, 4, 6, 8, 10, 12]);
    expect(Math.max(...view.positions)).toBeCloseTo(1000, 3);
    // 12 edges, each one piece of two points.
    expect(view.edges).toHaveLength(12 * 6);
    expect(await fetch(`${site.base}/api/parts/${part.id}/geometry?what=geometry`).then((r) => r.text())).toContain('TShapes');
  });
  test('what is wrong with a request is said: no JSON, bad figures, wrong addresses', async () => {
    const notJson = await fetch(`${site.base}/api/jobs`, { method: 'POST', body: '{' });
    expect(notJson.status).toBe(400);
    isSentence((await notJson.json()).error);
    expect((await call('POST', '/api/jobs', { name: '' })).json.error.code).toBe('bad-name');
    expect((await call('POST', '/api/jobs', { name: 'x'.repeat(121) })).status).toBe(400);
    for (const path of ['/api/jobs/none', '/api/files/none', '/api/parts/none/geometry', '/api/files/00000000-0000-4000-8000-000000000000/evidence']) {
      const { status, json } = await call('GET', path);
      expect({ path, status }).toEqual({ path, status: 404 });
      isSentence(json.error);
    }
  });
  test('changes reach other windows as server-sent events', async () => {
    const job = await newJob();
    const stop = new AbortController();
    const response = await fetch(`${site.base}/api/jobs/${job}/events`, { signal: stop.signal });
    const reader = response.body!.getReader();
    const heard = async () => new TextDecoder().decode((await reader.read()).value);
    expect(await heard()).toContain('event: changed');
    const next = heard();
    await send(job, 'h.stl', readFileSync(dataPath('Helix.stl')));
    expect(await next).toContain('event: changed');
    stop.abort();
  });
});

describe('what is removed', () => {
  test('a design and a release go and come back by requests; what says neither is refused', async () => {
    const job = await newJob();
    await send(job, 'h.stl', readFileSync(dataPath('Helix.stl')));
    const [design] = (await site.world.until(job, allRead)).designs;
    const set = async (path: string, body: unknown) => (await call('PATCH', path, body)).status;
    expect(await set(`/api/designs/${design.id}`, {})).toBe(400);
    expect(await set(`/api/designs/${design.id}`, { removed: true })).toBe(200);
    expect(await jobOf(job)).toMatchObject({ parts: [], designs: [], undo: 'remove h.stl' });
    expect((await call('GET', `/api/jobs/${job}/designs`)).json).toMatchObject([{ fileName: 'h.stl', parts: 1, removedAt: expect.any(String) as string }]);
    expect(await set(`/api/designs/${design.id}`, { removed: false })).toBe(200);
    expect((await jobOf(job)).parts).toHaveLength(1);
    const { json } = await call('POST', `/api/jobs/${job}/releases`, { recipe: { lines: [{ receiver: 'lark', format: 'stl' }] } });
    const id = json.id as unknown as string;
    await site.world.untilReleased(id);
    const listed = async (removed: string) => ((await call('GET', `/api/jobs/${job}/releases${removed}`)).json as unknown as unknown[]).length;
    expect(await set(`/api/releases/${id}`, { removed: true })).toBe(200);
    expect([await listed(''), await listed('?removed')]).toEqual([0, 1]);
    expect(await set(`/api/releases/${id}`, { removed: false })).toBe(200);
    expect([await listed(''), await listed('?removed')]).toEqual([1, 0]);
  });
  test('every answer bears the id under which it stands in the log; only what changed is told to who asks for that', async () => {
    const job = await newJob();
    await send(job, 'h.stl', readFileSync(dataPath('Helix.stl')));
    await site.world.until(job, allRead);
    const fetched = await fetch(`${site.base}/api/jobs/${job}?part=none`);
    expect(fetched.headers.get('x-request-id')).toMatch(/^[0-9a-f]{8}$/);
    const whole = await fetched.json();
    const again = await fetch(`${site.base}/api/jobs/${job}?part=none&since=${whole.stamp}&order=${whole.order}`).then((r) => r.json());
    expect(again).toMatchObject({ since: whole.stamp, parts: [], ids: null, designs: null });
  });
});

describe('releases by requests alone', () => {
  const lines = [{ receiver: 'lark', format: 'stl' }];
  test('a bad wish, an unknown release and a foreign page are refused in sentences; nothing is begun', async () => {
    const job = await newJob();
    await send(job, 'Helix.stl', readFileSync(dataPath('Helix.stl')));
    await site.world.until(job, allRead);
    const bad: [unknown, string][] = [
      [{}, 'bad-release'],
      [{ recipe: { lines: [] } }, 'bad-release'],
      [{ recipe: { lines: [{ receiver: 'nobody', format: 'stl' }] } }, 'bad-release'],
      [{ recipe: { lines: [{ receiver: 'lark', format: 'dxf' }] } }, 'bad-release'],
      [{ recipe: { lines, naming: { file: [] } } }, 'bad-release'],
      [{ recipe: { lines: [{ ...lines[0], choose: { text: 'nothing of this name' } }] } }, 'nothing-chosen'],
    ];
    for (const [wish, code] of bad) {
      const { status, json } = await call('POST', `/api/jobs/${job}/releases`, wish);
      expect({ status, code: json.error.code }).toEqual({ status: 400, code });
      isSentence(json.error);
    }
    const none = '00000000-0000-4000-8000-000000000000';
    for (const path of [
      `/api/releases/${none}`,
      `/api/releases/${none}/zip`,
      `/api/releases/${none}/report`,
      `/api/release-files/${none}`,
      '/api/receivers/nobody/inbox',
    ]) {
      expect({ path, status: (await call('GET', path)).status }).toEqual({ path, status: 404 });
    }
    const foreign = await fetch(`${site.base}/api/jobs/${job}/releases`, { method: 'POST', headers: { Origin: 'http://elsewhere.example' }, body: JSON.stringify({ recipe: { lines } }) }); // prettier-ignore
    expect(foreign.status).toBe(403);
    expect((await call('GET', `/api/jobs/${job}/releases`)).json).toEqual([]);
  });

  test('names that would lead out of the folder lead nowhere; a run by requests ends with the bytes that it says', async () => {
    const job = await newJob();
    await send(job, 'Helix.stl', readFileSync(dataPath('Helix.stl')));
    await site.world.until(job, allRead);
    const naming = { file: [{ text: '../../' }, { field: 'part' }], folder: [{ text: '../up/../' }, { field: 'receiver' }, { text: '/..' }], clash: 'number' };
    const { json } = await call('POST', `/api/jobs/${job}/releases`, { recipe: { lines, naming } });
    const view = await site.world.untilReleased(json.id as unknown as string);
    expect(view.counts).toMatchObject({ rows: 1, made: 1 });
    const [row] = view.rows;
    expect(row.name.split('/').every((piece) => piece !== '' && !/^\.+$/.test(piece))).toBe(true);
    const response = await fetch(`${site.base}/api/release-files/${row.id}`);
    const bytes = Buffer.from(await response.arrayBuffer());
    expect(createHash('sha256').update(bytes).digest('hex')).toBe(row.sha256);
    expect(response.headers.get('content-type')).toBe('model/stl');
    // The same again: nothing is made, the bytes are those.
    const again = await call('POST', `/api/jobs/${job}/releases`, { recipe: { lines, naming } });
    const second = await site.world.untilReleased(again.json.id as unknown as string);
    expect(second.counts).toMatchObject({ made: 0, same: 1 });
    expect(second.rows[0].sha256).toBe(row.sha256);
  });
});
