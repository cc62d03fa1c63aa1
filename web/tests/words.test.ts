/** What pages make of typed texts and of rules, without a page. */
import { describe, expect, test } from 'vitest';
import type { Field } from 'tall-kite/operations/operation';
import { operationForms } from 'tall-kite/operations/registry';
import { readyReceivers } from 'tall-kite/receivers/ready';
import { receiverIn } from 'tall-kite/receivers/receivers';
import { valueOf } from '../join/OperationForm.tsx';
import { otherRules, slugOf } from '../stores/receiver-words.ts';
import { offered, receiverLabel } from '../stores/useReceivers.ts';

describe('a field of a form', () => {
  const wall: Field = { kind: 'length', name: 'wall', label: 'Wall', least: 0.05, most: 1000, usual: 2, about: '' };
  test.each([
    ['2', 2],
    ['2,5', 2.5],
    ['0.05', 0.05],
    ['1000', 1000],
    ['0.0499', undefined],
    ['1000.1', undefined],
    ['', undefined],
    ['two', undefined],
  ])('"%s" is taken for %s', (typed, value) => expect(valueOf(wall, typed)).toBe(value));
  test('one that may be left empty is null then', () => expect(valueOf({ ...wall, optional: true }, ' ')).toBeNull());
  test('a choice gives the value of its word, of its own type', () => {
    const many: Field = { kind: 'choice', name: 'n', label: 'N', usual: 1, words: [{ value: 1, label: 'one' }, { value: 2, label: 'two' }], about: '' }; // prettier-ignore
    expect(valueOf(many, '2')).toBe(2);
    expect(valueOf(many, '3')).toBeUndefined();
  });
  test('what a form begins with can be sent', () => {
    for (const form of operationForms())
      for (const f of form.fields) expect([form.kind, f.name, valueOf(f, String(f.usual ?? '')) !== undefined]).toEqual([form.kind, f.name, true]);
  });
});

describe('receivers in words', () => {
  const taken = [{ rules: { id: 'big-laser' } }];
  test.each([
    ['Big printer', 'big-printer'],
    ['Big laser', 'big-laser-2'],
    ['Größe 3!', 'gro-e-3'],
    ['none', 'receiver'],
    ['***', 'receiver'],
  ])('"%s" gets the id %s', (name, id) => expect(slugOf(name, taken)).toBe(id));
  test('rules without a column are said with their units', () => {
    expect(otherRules(receiverIn(readyReceivers, 'lark'))).toEqual([
      'Z up',
      'overhang 45° from the vertical',
      'gap 0.2 mm',
      'layer 0.2 mm',
      'at most 50 MB, 500,000 triangles',
    ]);
    expect(otherRules(receiverIn(readyReceivers, 'plover'))).toEqual(['DXF R12, 2000, 2018', 'takes curves', 'SVG at 96 per inch', 'at most 50 MB']);
    expect(otherRules({ ...receiverIn(readyReceivers, 'pipit'), mostBytes: 500_000 })).toContain('at most 500 kB');
  });
  test('a part is offered the machines of its kind, and the one that it goes to even when that is archived', () => {
    const old = { ...readyReceivers[0], id: 'old', name: 'Old' };
    expect(offered('mesh', readyReceivers, readyReceivers[0]).map((r) => r.id)).toEqual(['lark', 'wren', 'heron']);
    expect(offered('mesh', readyReceivers, old).map((r) => r.id)).toEqual(['old', 'lark', 'wren', 'heron']);
    expect(receiverLabel(readyReceivers[0])).toBe('Lark, filament printer');
  });
});
