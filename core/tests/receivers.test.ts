/** Machines as data: the rules that ship, the limits of what may be typed, and what goes to which. */
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { main } from '../src/cli/main.ts';
import { commonRules, sheetRules, solidRules } from '../src/receivers/fields.ts';
import { machineKinds } from '../src/receivers/kinds.ts';
import { readyReceivers } from '../src/receivers/ready.ts';
import { noReceiver, receiverFor, receiverIn, receiversFor, usualReceiver, type Receiver } from '../src/receivers/receivers.ts';
import { checkReceiver } from '../src/receivers/rules.ts';
import { firstRecipe } from '../src/recipe/recipe.ts';
import { recipeSchema } from '../src/recipe/schema.ts';
import { binaryStl } from '../src/formats/stl/write.ts';
import { boxMesh } from './data.ts';

const [lark] = readyReceivers;
const swift = receiverIn(readyReceivers, 'swift');

describe('rules', () => {
  test.each([...readyReceivers, noReceiver])('$name is within its own limits', (receiver) => {
    expect(checkReceiver(receiver)).toEqual(receiver);
    expect(checkReceiver(JSON.stringify(receiver))).toEqual(receiver);
  });
  test.each(machineKinds)('a new $label can be kept once it has a name', ({ rules }) => {
    expect(checkReceiver({ ...rules, id: 'mine', name: 'Mine' }).process).toBe(rules.process);
    expect(() => checkReceiver({ ...rules, id: 'mine', name: ' ' })).toThrow('Name');
  });
  test.each([...commonRules, ...solidRules])(
    '$label: its least and most are taken, what is just outside is told by name',
    ({ key, label, least, most, whole }) => {
      for (const value of [least, most]) expect(checkReceiver({ ...lark, [key]: value })[key]).toBe(value);
      const step = whole ? 1 : 1e-6 * Math.max(1, most);
      for (const value of [least - step, most + step]) expect(() => checkReceiver({ ...lark, [key]: value })).toThrow(label);
    },
  );
  test.each(sheetRules)('$label of a sheet machine: the same', ({ key, label, least, most }) => {
    const with_ = (value: number) => ({ ...swift, cutter: { ...swift.cutter, [key]: value } });
    for (const value of [least, most]) expect(checkReceiver(with_(value)).cutter![key]).toBe(value);
    for (const value of [least - 1e-3, most * 1.001]) expect(() => checkReceiver(with_(value))).toThrow(label);
  });
  test.each([
    ['an id with a space', { ...lark, id: 'my printer' }, 'small letters'],
    ['an id of 41 letters', { ...lark, id: 'a'.repeat(41) }, 'small letters'],
    ['no format', { ...lark, formats: [] }, 'Formats'],
    ['a printer that reads DXF', { ...lark, formats: ['stl', 'dxf'] }, 'makes solids'],
    ['a laser that reads STL', { ...swift, formats: ['dxf', 'stl'] }, 'works on sheets'],
    ['a bed of two sides', { ...lark, bed: [1, 2] }, 'Bed'],
    ['a bed of no width', { ...lark, bed: [0, 2, 3] }, 'greater than 0'],
    ['a text for a number', { ...lark, bead: '0.4' }, 'Bead'],
    ['half a byte', { ...lark, mostBytes: 1000.5 }, 'integer'],
    ['a rule that there is not', { ...lark, colour: 'red' }, 'not allowed'],
    ['no JSON', '{', 'not JSON'],
  ])('%s is refused in a sentence', (_, rules, why) => {
    expect(() => checkReceiver(rules)).toThrow(why);
  });
});

describe('which machine', () => {
  const solid = { kind: 'solid' as const, survey: null };
  test('the first that a kind can go to; no machine when there is none', () => {
    expect(usualReceiver('mesh', readyReceivers).id).toBe(readyReceivers.find((r) => !r.cutter)!.id);
    expect(usualReceiver('drawing', readyReceivers).id).toBe(readyReceivers.find((r) => r.cutter)!.id);
    expect(usualReceiver('drawing', [lark])).toBe(noReceiver);
    expect(receiversFor('drawing', readyReceivers).every((r) => r.cutter)).toBe(true);
  });
  test('a recipe carries the rules, and is checked with them', () => {
    const mine: Receiver = { ...lark, id: 'mine', name: 'Mine', bed: [10, 10, 10] };
    const recipe = firstRecipe(solid, [mine]);
    expect(recipe.receiver.bed).toEqual([10, 10, 10]);
    expect(recipeSchema.validate(recipe, { convert: false }).error).toBeUndefined();
    expect(recipeSchema.validate({ ...recipe, receiver: { ...mine, formats: ['dxf'] } }, { convert: false }).error!.message).toContain('makes solids');
    expect(recipeSchema.validate({ ...recipe, receiver: 'mine' }, { convert: false }).error).toBeDefined();
    expect(firstRecipe(solid, []).receiver).toBe(noReceiver);
  });
  test('no machine takes bare numbers for the unit of the file; a machine for its own', () => {
    expect(receiverFor({ receiver: noReceiver, file: { unit: 'in' } }).unit).toBe('in');
    expect(receiverFor({ receiver: lark, file: { unit: 'in' } }).unit).toBe('mm');
  });
});

test('the command line takes a machine of your own from a file', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-receiver-'));
  const [part, rules] = [join(folder, 'box.stl'), join(folder, 'small.json')];
  writeFileSync(part, Buffer.concat([...binaryStl(boxMesh(10, 10, 10), 1, '')]));
  const run = async (receiver: string) => {
    let [out, err] = ['', ''];
    await main(['write', part, '--out', folder, '--receiver', receiver, '--json'], (t) => (out += t), (t) => (err += t)); // prettier-ignore
    return out === '' ? err : JSON.parse(out).written[0].findings.map((f: { code: string }) => f.code);
  };
  writeFileSync(rules, JSON.stringify({ ...lark, id: 'small', name: 'Small', bed: [0.5, 0.5, 0.5] }));
  expect(await run(rules)).toContain('off-the-bed');
  expect(await run('none')).not.toContain('off-the-bed');
  expect(await run(join(folder, 'none.json'))).toContain('There is no receiver');
  expect(await run('nobody')).toContain('There is no receiver "nobody"');
});
