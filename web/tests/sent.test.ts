/** What goes to the server and what comes back: files one after another, refusals in the server's words, nothing lost when the line breaks. */
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { usualChoices } from 'tall-kite/model/choices';
import { sendFile, type Upload } from '../ledger/upload.ts';
import { ask, Refused } from '../shell/ask.ts';

/** A request that does what the test says. */
class Request {
  static readonly UNSENT = 0;
  static made: Request[] = [];
  readyState = 0;
  status = 0;
  responseText = '';
  url = '';
  sent: unknown = null;
  upload: { onprogress?: (event: { loaded: number }) => void } = {};
  onload?: () => void;
  onerror?: () => void;
  onabort?: () => void;
  onloadend?: () => void;
  constructor() {
    Request.made.push(this);
  }
  open(_method: string, url: string) {
    this.readyState = 1;
    this.url = url;
  }
  send(body: unknown) {
    this.sent = body;
  }
  abort() {
    this.onabort?.();
    this.onloadend?.();
  }
  answer(status: number, text = '{}') {
    [this.status, this.responseText] = [status, text];
    this.onload?.();
    this.onloadend?.();
  }
  break() {
    this.onerror?.();
    this.onloadend?.();
  }
}

beforeEach(() => {
  Request.made = [];
  vi.stubGlobal('XMLHttpRequest', Request);
});
afterEach(() => vi.unstubAllGlobals());

const settled = () => new Promise((done) => setImmediate(done));
const file = (name: string, bytes: number) => ({ name, size: bytes }) as File;
/** Sends; gives what was told, last one last. */
function send(name: string, bytes = 10, as: { replaces: string | null; variant: string } = { replaces: null, variant: '' }): Upload[] {
  const told: Upload[] = [];
  sendFile({ jobId: 'job-1', file: file(name, bytes), mostBytes: 100 * 2 ** 20, choices: usualChoices, ...as }, (u) => told.push(u));
  return told;
}

describe('files on their way', () => {
  test('empty ones and too large ones are refused before anything is sent', async () => {
    const empty = send('a.stl', 0);
    const large = send('b.stl', 101 * 2 ** 20);
    await settled();
    expect(empty.at(-1)).toMatchObject({ state: 'refused', sentence: 'The file is empty (0 bytes). Export it again.' });
    expect(large.at(-1)!.sentence).toBe('The file has 101 MB; at most 100 MB are taken. Export fewer parts at a time.');
    expect(Request.made.every((r) => r.sent === null)).toBe(true);
  });
  test('the largest that is taken is sent', async () => {
    const told = send('c.stl', 100 * 2 ** 20);
    await settled();
    Request.made[0].answer(200);
    expect(told.at(-1)).toMatchObject({ state: 'done', sent: 100 * 2 ** 20 });
  });
  test('one after another, in the order in which they were brought; progress is told', async () => {
    const [one, two] = [send('one.stl'), send('two.stl')];
    await settled();
    expect(Request.made.map((r) => r.sent !== null)).toEqual([true, false]);
    Request.made[0].upload.onprogress!({ loaded: 4 });
    expect(one.at(-1)).toMatchObject({ state: 'sending', sent: 4 });
    Request.made[0].answer(201);
    await settled();
    expect(Request.made.map((r) => r.sent !== null)).toEqual([true, true]);
    Request.made[1].answer(201);
    expect([one.at(-1)!.state, two.at(-1)!.state]).toEqual(['done', 'done']);
    expect(new Set([...one, ...two].map((u) => u.key)).size).toBe(2);
  });
  test('what is asked goes with it: name, choices, which design it replaces, which variant it is', async () => {
    send('Mühle & 1.step', 10, { replaces: 'd-7', variant: 'short' });
    await settled();
    const query = new URL(Request.made[0].url, 'http://here').searchParams;
    expect(Object.fromEntries(query)).toEqual({ name: 'Mühle & 1.step', choices: JSON.stringify(usualChoices), replaces: 'd-7', variant: 'short' });
    Request.made[0].answer(200);
    send('plain.stl');
    await settled();
    expect([...new URL(Request.made[1].url, 'http://here').searchParams.keys()]).toEqual(['name', 'choices']);
    Request.made[1].answer(200);
  });
  test('a refusal is told in the server’s words, else by its number; the next file goes on', async () => {
    const [first, second, third] = [send('one.stl'), send('two.stl'), send('three.stl')];
    await settled();
    Request.made[0].answer(422, JSON.stringify({ error: { message: 'It holds no solid.', remedy: 'Export it as solids.' } }));
    await settled();
    Request.made[1].answer(502, '<html>');
    await settled();
    Request.made[2].break();
    expect(first.at(-1)).toMatchObject({ state: 'refused', sentence: 'It holds no solid. Export it as solids.' });
    expect(second.at(-1)!.sentence).toBe('The server answered 502. Try again.');
    expect(third.at(-1)!.sentence).toBe('The connection broke off; nothing was kept. Try again.');
  });
  test('cancelled while it is sent, or before it was begun: the ones behind it go on', async () => {
    const [one, two, three] = [send('one.stl'), send('two.stl'), send('three.stl')];
    await settled();
    two.at(-1)!.cancel();
    one.at(-1)!.cancel();
    await settled();
    expect([one, two].map((t) => t.at(-1))).toMatchObject([{ state: 'cancelled' }, { state: 'cancelled' }]);
    expect(Request.made.map((r) => r.sent !== null)).toEqual([true, false, true]);
    Request.made[2].answer(200);
    expect(three.at(-1)!.state).toBe('done');
  });
});

describe('asking the server', () => {
  const answers = (status: number, body: unknown) =>
    vi.stubGlobal('fetch', (...asked: unknown[]) => {
      seen = asked;
      return Promise.resolve({ ok: status < 300, status, json: () => (body === undefined ? Promise.reject(new Error('no JSON')) : Promise.resolve(body)) });
    });
  let seen: unknown[] = [];
  test('its JSON is given; a body goes as JSON, a file and a text as they are', async () => {
    answers(200, { parts: 3 });
    expect(await ask('/api/x', { method: 'POST', body: { a: 1 } })).toEqual({ parts: 3 });
    expect(seen).toEqual(['/api/x', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: '{"a":1}' }]);
    await ask('/api/y', { method: 'PUT', text: 'words' });
    expect(seen[1]).toMatchObject({ headers: undefined, body: 'words' });
  });
  test('a refusal throws with its sentence and remedy; one without words by its number', async () => {
    answers(409, { error: { message: 'Newer settings are there.', remedy: 'Look at them.' } });
    await expect(ask('/api/x')).rejects.toMatchObject({ status: 409, message: 'Newer settings are there.', remedy: 'Look at them.' });
    answers(500, undefined);
    await expect(ask('/api/x')).rejects.toMatchObject({ status: 500, message: 'The server answered 500.', remedy: 'Try again.' });
  });
  test('a server that does not answer is told, and is no bare error', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('Failed to fetch')));
    const thrown = await ask('/api/x').catch((t: unknown) => t);
    expect(thrown).toBeInstanceOf(Refused);
    expect(thrown).toMatchObject({ status: 0, message: 'The server does not answer.' });
  });
});
