/** What the stores know of materials: names, weights, thicknesses; and what cut lists make of it. */
import { describe, expect, test } from 'vitest';
import { edited, noBands, withEdits, type CutRow } from '../src/cutlist/row.ts';
import { comesIn, densityOf, materialNamed, materialSchema, mostMaterials, thicknessDoubt, type Material } from '../src/materials/materials.ts';
import { weightOf } from '../src/materials/weight.ts';

const material = (some: Partial<Material>): Material => ({ name: 'oak veneer', also: [], density: null, comes: [], bends: null, ...some });
const ply = material({ name: 'Birch plywood', also: ['BB/BB', 'multi'], density: 0.7, comes: [{ thickness: 12, minus: 0.7, plus: 0.4 }, { thickness: 12.5, minus: 0.5, plus: 0.5 }] }); // prettier-ignore

const row = (some: Partial<CutRow>): CutRow => ({
  key: 'a', members: [{ key: 'a', name: 'side', quantity: 1 }], kind: 'panel', number: '', name: 'side', quantity: 2, material: 'birch plywood', thickness: 12,
  length: 500, width: 400, grain: 'none', bands: noBands, holes: [], pockets: [], edgeHoles: [], mitres: [], notes: '', area: 200_000, volume: null, weight: null,
  why: null, mirrorOf: null, layers: [], findings: [], ...some,
}); // prettier-ignore

describe('a material by a name', () => {
  test('its own or another of its names, whatever the letters and spaces', () => {
    expect(materialNamed([ply], ' birch  PLYWOOD ')).toBe(ply);
    expect(materialNamed([ply], 'bb/bb')).toBe(ply);
    expect(materialNamed([ply], 'birch ply')).toBeNull();
    expect(materialNamed([ply], '  ')).toBeNull();
  });
  test('a name of its own goes before what another is called besides', () => {
    const multi = material({ name: 'multi' });
    expect(materialNamed([ply, multi], 'Multi')).toBe(multi);
  });
});

describe('weight', () => {
  test('what the stores say goes before the handbook; without a figure there the handbook counts', () => {
    expect(densityOf('birch plywood')).toBe(0.68);
    expect(densityOf('birch plywood', [ply])).toBe(0.7);
    expect(densityOf('multi', [ply])).toBe(0.7);
    expect(densityOf('mild steel', [material({ name: 'mild steel' })])).toBe(7.85);
    expect(densityOf('unobtainium', [ply])).toBeNull();
  });
  test('grams of a plate of 1 m2: density times thickness in mm, in kg', () => {
    // 1 m2 of 1 mm is 1,000 cm3: steel of 7.85 g/cm3 weighs 7.85 kg. Common practice.
    expect(weightOf({ material: 'steel', volume: null, area: 1e6, thickness: 1 })).toBeCloseTo(7850, 9);
    expect(weightOf({ material: 'steel', volume: 2e6, area: 1, thickness: null }, [material({ name: 'steel', density: 8 })])).toBeCloseTo(16_000, 9);
    expect(weightOf({ material: 'steel', volume: null, area: 1e6, thickness: null })).toBeNull();
  });
});

describe('thicknesses', () => {
  test('just inside and just outside of what a sheet may be off', () => {
    for (const [t, wanted] of [
      [11.3, 12],
      [11.2985, null],
      [12.4, 12.5],
      [13, 12.5],
      [13.0015, null],
      [12.2, 12],
      [12.3, 12.5],
    ] as const)
      // prettier-ignore
      expect(comesIn(ply, t)?.thickness ?? null, `${t} mm`).toBe(wanted);
  });
  test('a part that its material does not come in is told with what there is; others are not', () => {
    const doubt = thicknessDoubt([ply], 'BB/BB', 15)!;
    expect(doubt.severity).toBe('look');
    expect(doubt.message).toBe('Birch plywood does not come 15 mm thick; the stores have 12 -0.7 +0.4, 12.5 ± 0.5 mm.');
    expect(doubt.remedy).not.toBe('');
    expect(thicknessDoubt([ply], 'BB/BB', 12)).toBeNull();
    expect(thicknessDoubt([ply], 'BB/BB', null)).toBeNull();
    expect(thicknessDoubt([ply], 'steel', 15)).toBeNull();
    expect(thicknessDoubt([material({})], 'oak veneer', 15)).toBeNull();
    expect(thicknessDoubt([material({ comes: [{ thickness: 3, minus: 0, plus: 0 }] })], 'oak veneer', 3.1)!.message).toContain('the stores have 3 mm');
  });
});

describe('a cut list', () => {
  test('weighs by the stores, and tells thicknesses that they do not have', () => {
    const [one] = withEdits([row({ thickness: 15 })], {}, [ply]);
    // 200,000 mm2 of 15 mm are 3,000 cm3.
    expect(one.weight).toBeCloseTo(2100, 9);
    expect(one.findings.map((f) => f.code)).toEqual(['thickness-not-in-stores']);
    const [mended] = withEdits([row({ thickness: 15 })], { a: { thickness: 12 } }, [ply]);
    expect(mended.findings).toEqual([]);
    expect(mended.weight).toBeCloseTo(1680, 9);
  });
  test('what is made elsewhere has no such doubt; without stores nothing changes', () => {
    expect(edited(row({ kind: 'other', thickness: 15 }), undefined, [ply]).findings).toEqual([]);
    const same = row({});
    expect(edited(same, undefined)).toBe(same);
  });
});

describe('what may be kept', () => {
  const says = (some: object) => materialSchema.validate({ ...ply, ...some }, { convert: false }).error?.message ?? '';
  test('limits, each inside and outside', () => {
    expect(says({})).toBe('');
    expect(says({ name: 'x'.repeat(60) })).toBe('');
    expect(says({ name: 'x'.repeat(61) })).not.toBe('');
    expect(says({ name: '' })).toBe('A material needs a name');
    expect(says({ density: 0.01 })).toBe('');
    expect(says({ density: 0.009 })).not.toBe('');
    expect(says({ density: 30 })).toBe('');
    expect(says({ density: 30.1 })).not.toBe('');
    expect(says({ density: '2.7' })).not.toBe('');
    expect(says({ comes: [{ thickness: 2, minus: 1.999, plus: 100 }] })).toBe('');
    expect(says({ comes: [{ thickness: 2, minus: 2, plus: 0 }] })).not.toBe('');
    expect(says({ comes: [{ thickness: 2, minus: 0, plus: 101 }] })).not.toBe('');
    expect(says({ comes: Array(mostMaterials.thicknesses).fill(ply.comes[0]) })).toBe('');
    expect(says({ comes: Array(mostMaterials.thicknesses + 1).fill(ply.comes[0]) })).not.toBe('');
    expect(says({ also: Array(mostMaterials.names + 1).fill('a') })).not.toBe('');
    expect(says({ bends: 'the blue one' })).not.toBe('');
  });
});
