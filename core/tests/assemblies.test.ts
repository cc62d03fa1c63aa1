/** Assemblies: every path of a part is kept, and a branch is taken whole, with its own quantities and nothing else. */
import { readyReceivers } from '../src/receivers/ready.ts';
import { beforeAll, describe, expect, test } from 'vitest';
import { branchesOf, branchPaths, liesUnder, underBranch } from '../src/model/branches.ts';
import { usualChoices } from '../src/model/choices.ts';
import type { Design, PartSummary } from '../src/model/design.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { rigidParts } from '../src/formats/rigid.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { identityRows, timesRows, type Rows } from '../src/geometry/rows.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { assembled, assembledIges, provedIges } from '../src/pipeline/assembly.ts';
import { planned } from '../src/release/plan.ts';
import { anyPart, takenBy } from '../src/release/recipe.ts';
import { partsOf } from '../src/release/run.ts';
import { checkRelease as releaseRecipe } from '../src/release/schema.ts';
import { boxMesh, dataFile } from './data.ts';

let as1: Design;
beforeAll(async () => {
  as1 = await readDesign(dataFile('as1-oc-214.stp'), 'as1.stp', nodeKernels, usualChoices);
});
const under = (branch: string) =>
  as1.parts.flatMap((p) => {
    const part = underBranch(p.summary, branch);
    return part ? [[part.name, part.quantity, part.places!.length]] : [];
  });

describe('as1-oc-214.stp: a nut that hangs in two sub-assemblies', () => {
  // By hand from the file's NEXT_ASSEMBLY_USAGE_OCCURRENCEs: 2 brackets with 3 nut-bolt pairs each, one rod with 2 nuts, a plate.
  test('each branch holds all its parts, in its own quantity and places', () => {
    expect(under('rod-assembly')).toEqual([['nut', 2, 2], ['rod', 1, 1]]); // prettier-ignore
    expect(under('l-bracket-assembly')).toEqual([['nut', 6, 6], ['bolt', 6, 6], ['l-bracket', 2, 2]]); // prettier-ignore
    expect(under('l-bracket-assembly / nut-bolt-assembly')).toEqual([['nut', 6, 6], ['bolt', 6, 6]]); // prettier-ignore
    expect(under('as1').map(([name, n]) => `${n} ${name}`)).toEqual(['8 nut', '1 rod', '6 bolt', '2 l-bracket', '1 plate']);
    expect(under('no such branch')).toEqual([]);
    expect(branchPaths(as1.parts.map((p) => p.summary))).toEqual(['as1', 'as1 / l-bracket-assembly', 'as1 / l-bracket-assembly / nut-bolt-assembly', 'as1 / rod-assembly']); // prettier-ignore
  });
  test('a release of a branch plans them so, one each and all in one; a typed quantity is kept in proportion', () => {
    const { parts } = partsOf([{ file: 'as1.stp', sha256: '', bytes: 0, design: as1 }], [], readyReceivers);
    const choose = { ...anyPart, branch: 'rod-assembly' };
    expect(takenBy(choose, parts).map((p) => [p.summary.name, p.quantity])).toEqual([['nut', 2], ['rod', 1]]); // prettier-ignore
    const twice = parts.map((p) => ({ ...p, quantity: p.quantity * 2 }));
    expect(takenBy(choose, twice).map((p) => p.quantity)).toEqual([4, 2]);
    const recipe = releaseRecipe({ lines: [{ choose: { branch: 'rod-assembly' }, receiver: 'lark', format: 'stl' }, { choose: { branch: 'l-bracket-assembly' }, receiver: 'lark', format: '3mf', group: 'all' }] }, readyReceivers); // prettier-ignore
    const { rows } = planned(parts, [], recipe, { program: 'test' });
    expect(rows.map((r) => r.parts.map((p) => `${p.quantity} ${p.summary.name} at ${p.summary.places!.length}`))).toEqual([
      ['2 nut at 2'],
      ['1 rod at 1'],
      ['6 nut at 6', '6 bolt at 6', '2 l-bracket at 2'],
    ]);
    // The first of them stands where it stands in that branch, not where the first of all stands.
    expect(rows[2].parts[0].place).toEqual(rows[2].parts[0].summary.places![0]);
    expect(rows[2].parts[0].place).not.toEqual(rows[0].parts[0].place);
  });
});

describe('one STEP file of a whole assembly', () => {
  test('as1: tree, names, colours and all 18 places come back through the other kernel; a branch holds its own', async () => {
    const whole = await assembled([as1], null, 'as1', nodeKernels);
    expect(whole.evidence).toMatchObject({ verdict: 'clear' });
    const back = await readDesign(whole.bytes, 'as1.step', nodeKernels, usualChoices);
    expect(back.parts.map((p) => `${p.summary.quantity} ${p.summary.name} ${p.summary.colour}`).sort()).toEqual(
      as1.parts.map((p) => `${p.summary.quantity} ${p.summary.name} ${p.summary.colour}`).sort(),
    );
    expect(branchPaths(back.parts.map((p) => p.summary))).toEqual(branchPaths(as1.parts.map((p) => p.summary)));
    // An independent reader of the text: every product name stands in it, and 18 occurrences of parts and 3 of sub-assemblies.
    const text = new TextDecoder().decode(whole.bytes);
    for (const name of ['nut', 'bolt', 'rod', 'plate', 'l-bracket', 'rod-assembly', 'l-bracket-assembly', 'nut-bolt-assembly']) expect(text).toMatch(new RegExp(`PRODUCT\\('${name}'`)); // prettier-ignore
    expect(text.match(/NEXT_ASSEMBLY_USAGE_OCCURRENCE\(/g)).toHaveLength(21);
    const rods = await assembled([as1], 'rod-assembly', 'rod-assembly', nodeKernels);
    expect(rods.evidence.verdict).toBe('clear');
    expect(rods.evidence.claims.find((c) => c.quantity === 'Places')).toMatchObject({ designed: 3, received: 3 });
    const iges = await assembledIges([as1], null, 'as1', nodeKernels);
    expect(iges.evidence.claims.map((c) => c.verdict)).toEqual(['clear', 'clear', 'clear', 'clear', 'clear']);
    expect(iges.evidence.findings.map((f) => f.code)).toEqual(['names-lost']);
    expect((await readDesign(iges.bytes, 'as1.igs', nodeKernels, usualChoices)).parts.every((p) => p.summary.kind === 'solid')).toBe(true);
    // A copy turned half round about its own middle has the same volume there, and other corners.
    const bracket = as1.parts.find((p) => p.summary.name === 'l-bracket')!;
    const [, y, z] = bracket.summary.centre;
    const turned: Rows = [1, 0, 0, 0, 0, -1, 0, 2 * y, 0, 0, -1, 2 * z];
    const places = bracket.summary.places!.map((rows, i) => (i === 0 ? timesRows(rows, turned) : rows));
    const other = { ...as1, parts: as1.parts.map((p) => (p === bracket ? { ...p, summary: { ...p.summary, places } } : p)) };
    const wrong = provedIges([other], 'as1', await readDesign(iges.bytes, 'as1.igs', nodeKernels, usualChoices));
    expect(wrong.claims.map((c) => c.verdict)).toEqual(['clear', 'clear', 'clear', 'clear', 'stop']);
    await expect(assembled([as1], 'none such', 'x', nodeKernels)).rejects.toThrow(/no exact solid to assemble/);
  });
});

describe('branches', () => {
  const part = (above: string[][]): Pick<PartSummary, 'path' | 'quantity' | 'branches' | 'places' | 'placeBranches'> => {
    const { branches, of } = branchesOf(above);
    return { path: [...above[0], 'P'], quantity: above.length, branches, placeBranches: of, places: above.map(() => identityRows) };
  };
  test('names without regard to capitals; a path of names only where they follow each other', () => {
    const p = part([['A', 'b', 'C'], ['A', 'C'], ['D']]); // prettier-ignore
    expect(underBranch(p, 'a')!.quantity).toBe(2);
    expect(underBranch(p, 'c')!.quantity).toBe(2);
    expect(underBranch(p, 'A / C')!.quantity).toBe(1);
    expect(underBranch(p, 'B / C')!.quantity).toBe(1);
    expect(underBranch(p, 'C / A')).toBeNull();
    expect(liesUnder({ above: [], quantity: 1 }, 'A')).toBe(false);
  });
  test('a part that says nothing of its branches hangs where its path says', () => {
    expect(underBranch({ path: ['Frame', 'Mast'], quantity: 3 }, 'frame')!.quantity).toBe(3);
    expect(underBranch({ path: ['Mast'], quantity: 3 }, 'Mast')).toBeNull();
  });
});

describe('the same object at another scale, mirrored or stretched is another part', () => {
  const mesh = boxMesh(1, 2, 3);
  const rigid = (...places: Rows[]) => rigidParts([{ name: 'Clip', above: [], partNumber: null, colour: null, mesh, places }]).parts;
  const scaled = (x: number, y: number, z: number): Rows => [x, 0, 0, 5, 0, y, 0, 6, 0, 0, z, 7];
  test('turned and shifted copies are one part; each stretch is one of its own, named, with rigid places', () => {
    expect(rigid(identityRows, [0, -1, 0, 9, 1, 0, 0, 0, 0, 0, 1, 0])).toMatchObject([{ name: 'Clip', places: [identityRows, {}] }]);
    const parts = rigid(identityRows, scaled(2, 2, 2), scaled(-1, 1, 1), scaled(1, -1, 1), scaled(1, 1, 4), scaled(2, 2, 2));
    expect(parts.map((p) => [p.name, p.places.length, Math.round(measureMesh(p.mesh).volume)])).toEqual([
      ['Clip', 1, 6],
      ['Clip x2', 2, 48],
      // Both mirrored ones are one part: a half turn takes one into the other.
      ['Clip mirrored', 2, 6],
      ['Clip stretched 1 x 1 x 4', 1, 24],
    ]);
    for (const p of parts) for (const m of p.places) expect(Math.abs(m[0] ** 2 + m[4] ** 2 + m[8] ** 2 - 1)).toBeLessThan(1e-12);
    expect(parts[1].places[0].filter((_, i) => i % 4 === 3)).toEqual([5, 6, 7]);
  });
  test('a stretch just inside of what counts as alike stays, just outside does not', () => {
    expect(rigid(identityRows, scaled(1 + 4e-7, 1, 1))).toHaveLength(1);
    expect(rigid(identityRows, scaled(1 + 2e-6, 1, 1))).toHaveLength(2);
  });
  test('a place that squeezes the part to nothing is counted and left out', () => {
    expect(rigidParts([{ name: 'Clip', above: [], partNumber: null, colour: null, mesh, places: [scaled(1, 1, 0), identityRows] }])).toMatchObject({ flattened: 1, parts: [{ places: [identityRows] }] }); // prettier-ignore
  });
});
