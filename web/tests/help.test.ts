import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { describe, expect, test } from 'vitest';
import { keyLists } from '../shell/keylists.ts';
import { words, wordsWith } from '../help/words.ts';

const web = join(import.meta.dirname, '..');

/** Words of everyday English and figures, which need no explanation. */
const everyday = new Set(
  `a about across add added after again all along an and another any are as at back before below beside bring by cancel change changed check choose chosen close copy csv delete different
  do done down draw drawing drop edges edit everything file files first flat for found four forget from front go hand have help how in into is it its itself keep kept kind last leave left like list
  made make material may mean meant more most move name new next no none not number of off on one open or other others out over own part parts pick picked place press read ready redo remove right row
  safe same save see set show shown side sizes smooth sharp some start stop take text than that the their them there these they things this three to triangles turn under understood undo up used usual view
  was way what where which whole with write yes your json paper print theme light dark job sample around me composed corners largest contour solid folder zip mm as design page
  half tips easily apart likely large high rests tilted beginning find words keys writing designs bed beds overlaid both top bottom corner further closer every occurrence try`.split(
    /\s+/,
  ),
);

/** What stands on the buttons of the pages, as far as it is written in the source: "Keep it", "Write". */
function labels(): Map<string, string> {
  const files = execFileSync('git', ['ls-files', '*.tsx'], { cwd: web, encoding: 'utf8' })
    .split('\n')
    .filter((f) => f && !f.startsWith('tests/'));
  const found = new Map<string, string>();
  const texts = (node: ts.Node, out: string[]): string[] => {
    if (ts.isJsxText(node)) out.push(node.text);
    else if ((ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) && !ts.isBinaryExpression(node.parent)) out.push(node.text);
    else if (ts.isTemplateExpression(node)) out.push(node.head.text, ...node.templateSpans.map((s) => s.literal.text));
    if (!ts.isJsxAttribute(node)) node.forEachChild((child) => void texts(child, out));
    return out;
  };
  for (const file of files) {
    const source = ts.createSourceFile(file, readFileSync(join(web, file), 'utf8'), ts.ScriptTarget.Latest, true, ts.ScriptKind.TSX);
    const visit = (node: ts.Node): void => {
      if (ts.isJsxElement(node) && ['Button', 'button'].includes(node.openingElement.tagName.getText()))
        for (const t of node.children.flatMap((c) => texts(c, []))) found.set(t, file);
      node.forEachChild(visit);
    };
    visit(source);
  }
  return found;
}

/** A word as it stands in a list: without the ending of a plural or a form of a verb. */
const stem = (word: string): string => word.replace(/(ies)$/, 'y').replace(/(ing|ed|es|s|e)$/, '');

describe('the page of help', () => {
  test('every word on a button is explained there, or is everyday English', () => {
    const explained = words
      .map((w) => `${w.word} ${w.means}`.toLowerCase())
      .join(' ')
      .split(/[^a-zé]+/);
    const known = new Set([...explained, ...explained.map(stem)]);
    const missing: string[] = [];
    const all = labels();
    expect(all.size).toBeGreaterThan(80);
    for (const [label, file] of all) {
      for (const word of label
        .toLowerCase()
        .replace(/&\w+;/g, ' ')
        .split(/[^a-zé]+/)) {
        if (word.length < 2 || everyday.has(word) || known.has(word) || known.has(stem(word))) continue;
        missing.push(`${word} ("${label.trim()}" in ${file})`);
      }
    }
    expect(missing).toEqual([]);
  });
  test('words stand once, in order, each with a sentence', () => {
    const names = words.map((w) => w.word);
    expect(new Set(names).size).toBe(names.length);
    const plain = names.map((n) => n.toLowerCase().replace(/[^a-z0-9 ]/g, ''));
    expect(plain).toEqual([...plain].sort());
    for (const { means } of words) expect(means).toMatch(/^[A-Z0-9].*\.$/);
  });
  test('a search finds a word by its name and by its meaning', () => {
    expect(wordsWith(words, ' KERF ').map((w) => w.word)).toContain('Kerf');
    expect(wordsWith(words, 'nozzle').map((w) => w.word)).toEqual(['Bead']);
    expect(wordsWith(words, 'zzz')).toEqual([]);
    expect(wordsWith(words, '')).toHaveLength(words.length);
  });
  test('every key of a page is listed once for it', () => {
    for (const { where, keys } of keyLists) expect(new Set(keys.map(([key]) => key)).size, where).toBe(keys.length);
  });
});
