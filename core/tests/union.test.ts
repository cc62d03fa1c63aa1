/** The exact union of outlines: against Clipper (manifold-3d) for the letters that ship, against shapely for random shapes, by hand for what touches. */
import { execFileSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import * as hb from 'harfbuzzjs';
import { describe, expect, test } from 'vitest';
import { flattenInto } from '../src/curves/flatten.ts';
import { areaUnder } from '../src/curves/measure.ts';
import type { P2 } from '../src/curves/segment.ts';
import { commonOf, unionOf, type Ring, type Stroke } from '../src/curves/union.ts';
import { nodeEngine } from '../src/engine/load.ts';
import { families, standIns } from '../src/text/fonts.ts';
import { nodeLetters } from '../src/text/node-files.ts';
import { some } from './some.ts';

const here = dirname(fileURLToPath(import.meta.url));
const polygon = (...points: P2[]): Stroke[] => points.map((a, i) => ({ kind: 'line', a, b: points[(i + 1) % points.length] }));
const square = (x: number, y: number, s: number): Stroke[] => polygon([x, y], [x + s, y], [x + s, y + s], [x, y + s]);
/** A round shape of four cubic pieces, counter-clockwise. */
function round(x: number, y: number, rx: number, ry = rx): Stroke[] {
  const k = 0.5522847498;
  const at = (u: number, v: number): P2 => [x + u * rx, y + v * ry];
  const corners: [P2, P2, P2, P2][] = [
    [at(1, 0), at(1, k), at(k, 1), at(0, 1)],
    [at(0, 1), at(-k, 1), at(-1, k), at(-1, 0)],
    [at(-1, 0), at(-1, -k), at(-k, -1), at(0, -1)],
    [at(0, -1), at(k, -1), at(1, -k), at(1, 0)],
  ];
  return corners.map((points) => ({ kind: 'bezier', points }));
}
const back = (ring: Ring): Stroke[] => [...ring].reverse().map((s): Stroke => (s.kind === 'line' ? { kind: 'line', a: s.b, b: s.a } : { kind: 'bezier', points: [...s.points].reverse() })); // prettier-ignore
const areaOf = (rings: readonly (readonly Stroke[])[] | null): number => rings!.flat().reduce((sum, s) => sum + areaUnder(s), 0);
const pieces = (rings: readonly (readonly Stroke[])[] | null): number[] => rings!.map((r) => r.length).sort((a, b) => a - b);

test('ways that overlap without end are left as they are, soon', () => {
  const heap = Array.from({ length: 600 }, (_, i) => round(i * 0.01, 0, 10));
  expect(unionOf(heap)).toBeNull();
  expect(unionOf(heap.slice(0, 20))!.length).toBe(1);
});

describe('by hand', () => {
  test('two squares that overlap are one outline of eight sides; apart they stay two', () => {
    const one = unionOf([square(0, 0, 2), square(1, 1, 2)]);
    expect([pieces(one), areaOf(one)]).toEqual([[8], 7]);
    expect(pieces(unionOf([square(0, 0, 2), square(3, 0, 2)]))).toEqual([4, 4]);
  });
  test('a hole stays one, whichever way the outside runs; what is drawn in it again fills it', () => {
    for (const turned of [false, true]) {
      const rings = [square(0, 0, 4), back(square(1, 1, 2))].map((r) => (turned ? back(r) : r));
      expect([pieces(unionOf(rings)), areaOf(unionOf(rings))]).toEqual([[4, 4], 12]);
    }
    expect(areaOf(unionOf([square(0, 0, 4), square(1, 1, 2)]))).toBe(16);
  });
  test('sides that lie along each other: one side shared, the same square twice, one beside the other for a while', () => {
    expect([pieces(unionOf([square(0, 0, 2), square(2, 0, 2)])), areaOf(unionOf([square(0, 0, 2), square(2, 0, 2)]))]).toEqual([[6], 8]);
    expect(areaOf(unionOf([square(0, 0, 2), square(0, 0, 2)]))).toBe(4);
    expect(areaOf(unionOf([square(0, 0, 2), square(2, 1, 2)]))).toBe(8);
    expect(areaOf(unionOf([round(0, 0, 3), round(0, 0, 3)]))).toBeCloseTo(areaOf([round(0, 0, 3)]), 12);
  });
  test('squares that touch at a corner stay apart; pieces that nothing crosses come out as they went in', () => {
    expect(pieces(unionOf([square(0, 0, 1), square(1, 1, 1)]))).toEqual([4, 4]);
    const curves = round(0, 0, 5);
    expect(unionOf([curves])![0].map((s) => s)).toEqual(expect.arrayContaining(curves));
  });
  test('what lies in both: two squares, a round and a square, nothing', () => {
    expect(areaOf(commonOf([square(0, 0, 2)], [square(1, 1, 2)]))).toBe(1);
    expect(areaOf(commonOf([round(0, 0, 2)], [square(0, 0, 9)]))).toBeCloseTo(areaOf([round(0, 0, 2)]) / 4, 12);
    expect(commonOf([square(0, 0, 1)], [square(2, 0, 1)])).toEqual([]);
    expect(areaOf(commonOf([square(0, 0, 4), back(square(1, 1, 2))], [square(0, 0, 2)]))).toBe(3);
  });
});

test('random heaps of squares and rounds: as large as shapely says, within 1e-6', () => {
  let seed = 5;
  const random = () => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 4294967296;
  const heaps = Array.from({ length: some(120, 40) }, () =>
    Array.from({ length: 2 + Math.floor(random() * 6) }, () => {
      const [x, y, r] = [random() * 20, random() * 20, 1 + random() * 5];
      if (random() < 0.4) return square(Math.round(x), Math.round(y), Math.ceil(r));
      return round(x, y, r, 1 + random() * 5);
    }),
  );
  const chords = heaps.map((rings) => rings.map((ring) => ring.flatMap((s): P2[] => { const out: P2[] = []; flattenInto(s, 5e-7, out); return out; }))); // prettier-ignore
  const wanted = JSON.parse(execFileSync('/usr/bin/python3', [join(here, 'readers', 'letters.py'), 'union'], { input: JSON.stringify(chords), encoding: 'utf8', maxBuffer: 1e8 })) as number[]; // prettier-ignore
  const off = heaps.map((rings, i) => Math.abs(areaOf(unionOf(rings)) - wanted[i]) / wanted[i]);
  expect(Math.max(...off)).toBeLessThan(1e-6);
});

/** Letters of which one is looked at here. */
const thinned = some(1, 9);

test('letters of every family that ships, light, usual and black: as large as Clipper says, and none falls back', async () => {
  const engine = await nodeEngine();
  const files = [...families.flatMap((f) => (f.files ?? []).slice(0, 2).map((file) => [f.package!, file])), ...standIns.slice(-8, -5).map((s) => [s.package, s.file])]; // prettier-ignore
  let [worst, count, fallen] = [0, 0, 0];
  for (const [from, file] of files) {
    const font = new hb.Font(new hb.Face(new hb.Blob(await nodeLetters.outlines(from, file))));
    for (const weight of [200, 400, 900]) {
      font.setVariations([new hb.Variation('wght', weight)]);
      for (let id = weight === 400 ? 0 : 1; id < 260; id += (weight === 400 ? 2 : 5) * thinned) {
        const rings = ringsOf(font.glyphToJson(id));
        if (rings.length === 0) continue;
        const union = unionOf(rings);
        count++;
        if (!union) fallen++;
        else {
          const chords = rings.map((ring) => { const out: P2[] = []; for (const s of ring) flattenInto(s, 2e-4, out); return out; }); // prettier-ignore
          const section = new engine.CrossSection(chords, 'NonZero');
          const area = section.area();
          section.delete();
          worst = Math.max(worst, Math.abs(areaOf(union) - area) / Math.max(area, 1e4));
        }
      }
    }
  }
  expect(count).toBeGreaterThan(1500 / thinned);
  expect(fallen).toBe(0);
  // Chords within 2e-4 of a thousandth of the em: what they cut off a letter is a few millionths of it.
  expect(worst).toBeLessThan(2e-5);
});

function ringsOf(path: { type: string; values: number[] }[]): Stroke[][] {
  const rings: Stroke[][] = [];
  let [at, start]: [P2, P2] = [[0, 0], [0, 0]]; // prettier-ignore
  for (const { type, values: v } of path) {
    const end: P2 = type === 'Z' ? start : [v[v.length - 2], v[v.length - 1]];
    if (type === 'M') {
      rings.push([]);
      start = end;
    } else if (type === 'Q' || type === 'C') {
      const points: P2[] = [at];
      for (let i = 0; i < v.length; i += 2) points.push([v[i], v[i + 1]]);
      rings[rings.length - 1].push({ kind: 'bezier', points });
    } else if (end[0] !== at[0] || end[1] !== at[1]) rings[rings.length - 1].push({ kind: 'line', a: at, b: end });
    at = end;
  }
  return rings.filter((r) => r.length > 1);
}
