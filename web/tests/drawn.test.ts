/** What the tables draw: prints, wires, rays, colours of differences and of stretch, faces for choosing. No page is needed for it. */
import { Color, Mesh, MeshBasicMaterial, Raycaster, Vector3 } from 'three';
import { describe, expect, test } from 'vitest';
import fc from 'fast-check';
import { boxMesh } from '../../core/tests/data.ts';
import { clear, normalAt, struckBy, triangles, wireGeometry } from '../light-table/drawn.ts';
import { colouredPrint } from '../light-table/coloured.ts';
import { stretchColour, type Inks } from '../patches/inks.ts';
import { facesSeen } from '../patches/faces.ts';
import { mostOf } from '../patches/shown.ts';

const block = () => {
  const { positions, triangles: t } = boxMesh(10, 20, 30);
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(t) };
};
const body = () => {
  const { positions, triangles: t } = block();
  const mesh = new Mesh(triangles(positions, t), new MeshBasicMaterial());
  mesh.updateMatrixWorld();
  return mesh;
};

describe('a print', () => {
  test('is bounded by a ball that reaches its farthest corner', () => {
    const { boundingSphere } = body().geometry;
    expect(boundingSphere!.radius).toBeCloseTo(Math.hypot(5, 10, 15), 5);
    expect(triangles(new Float32Array(), new Uint32Array()).boundingSphere!.radius).toBe(-1);
  });
  test('its wires: every edge of a closed one once, 18 of a block of 12 triangles', () => {
    const { index } = wireGeometry(body().geometry);
    const pairs = Array.from({ length: index!.count / 2 }, (_, i) => [index!.array[2 * i], index!.array[2 * i + 1]].sort((a, b) => a - b).join(' '));
    expect(pairs).toHaveLength(18);
    expect(new Set(pairs).size).toBe(18);
  });
  test('a ray meets both sides, nearest first, also where it stands elsewhere; the normal points outwards', () => {
    const mesh = body();
    mesh.position.set(100, 0, 0);
    mesh.updateMatrixWorld();
    const { min, max } = { min: Math.min(...block().positions.filter((_, i) => i % 3 === 2)), max: Math.max(...block().positions.filter((_, i) => i % 3 === 2)) };
    const middle = [0, 1].map((k) => {
      const list = [...block().positions].filter((_, i) => i % 3 === k);
      return (Math.min(...list) + Math.max(...list)) / 2 + 0.1;
    });
    const ray = new Raycaster(new Vector3(100 + middle[0], middle[1], 500), new Vector3(0, 0, -1));
    const struck = struckBy(ray, [mesh]);
    expect(struck.map((s) => s.point.z)).toEqual([max, min]);
    expect(struck[0].distance).toBeCloseTo(500 - max, 6);
    expect(normalAt(struck[0]).toArray()).toEqual([0, 0, 1]);
    expect(normalAt(struck[1]).toArray()).toEqual([0, 0, -1]);
    expect(struckBy(new Raycaster(new Vector3(0, 0, 500), new Vector3(0, 0, -1)), [mesh])).toEqual([]);
  });
  test('what a group held is given back', () => {
    let given = 0;
    const mesh = body();
    mesh.geometry.addEventListener('dispose', () => given++);
    (mesh.material as MeshBasicMaterial).addEventListener('dispose', () => given++);
    const group = new Mesh().clear();
    group.add(mesh);
    clear(group as never);
    expect([group.children.length, given]).toEqual([0, 2]);
  });
}); // prettier-ignore

describe('colours of a difference', () => {
  const inks = { outside: new Color(1, 0, 0), within: new Color(0, 0, 1), same: new Color(1, 1, 1) };
  const print = { positions: [0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1], triangles: [0, 1, 2, 0, 1, 3, 1, 2, 3] };
  const colours = (off: number[], most: number, wanted?: (d: number) => boolean) => {
    const { geometry } = colouredPrint(print, Float32Array.from(off), { most, inks, wanted });
    const list = geometry.getAttribute('color').array;
    return Array.from({ length: list.length / 9 }, (_, i) => [...list.slice(9 * i, 9 * i + 3)].map((v) => Math.round(v * 100) / 100));
  };
  test('outside in one ink, within in the other, none where both agree; full from the largest on', () => {
    expect(colours([0.5, -0.25, 0], 0.5)).toEqual([[1, 0, 0], [0.5, 0.5, 1], [1, 1, 1]]); // prettier-ignore
    expect(colours([9, -9, 0], 0.5).slice(0, 2)).toEqual([[1, 0, 0], [0, 0, 1]]); // prettier-ignore
    expect(colours([0, 0, 0], 0)).toEqual([[1, 1, 1], [1, 1, 1], [1, 1, 1]]); // prettier-ignore
  });
  test('only those that are wanted are drawn', () => {
    expect(colours([0.5, -0.25, 0], 0.5, (d) => d < 0)).toEqual([[0.5, 0.5, 1]]);
  });
});

describe('inks of a stretch map', () => {
  const inks: Inks = { sheet: [255, 255, 255], longer: [0, 0, 255], shorter: [255, 0, 0], ink: '', rule: '' };
  const rgb = (text: string) => text.match(/\d+/g)!.map(Number);
  test('the sheet where nothing stretches; towards one ink where it gets longer, towards the other where shorter', () => {
    expect(stretchColour(inks, 0, 0.1)).toBe('rgb(255,255,255)');
    expect(rgb(stretchColour(inks, 0.1, 0.1))).toEqual([38, 38, 255]);
    expect(rgb(stretchColour(inks, -0.1, 0.1))).toEqual([255, 38, 38]);
    expect(stretchColour(inks, 5, 0)).toBe('rgb(255,255,255)');
  });
  test('never beyond full ink, and stronger the more it stretches', () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), fc.double({ min: 0, max: 1, noNaN: true }), (a, b) => {
        const [small, large] = [Math.min(a, b), Math.max(a, b)].map((v) => rgb(stretchColour(inks, v, 0.5))[0]);
        expect(small).toBeGreaterThanOrEqual(large);
        expect(large).toBeGreaterThanOrEqual(38);
      }),
    );
  });
  test('the largest of absolute values', () => {
    expect(mostOf(Float32Array.from([0.25, -0.5, 0.125]))).toBe(0.5);
    expect(mostOf(new Float32Array())).toBe(0);
  });
});

describe('faces for choosing', () => {
  const { positions, triangles: t } = block();
  const view = (starts: number[]) => ({ positions, triangles: t, starts: Uint32Array.from(starts) }) as never;
  test('of a solid as they are numbered, with the edges between them', () => {
    const seen = facesSeen(view([0, 2, 4, 6, 8, 10, 12]), 30);
    expect([...seen.face]).toEqual([0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5]);
    expect([seen.count, seen.closed]).toEqual([6, true]);
  });
  test('of a mesh what its creases part: six of a block, whose edges are 12, each with two sides', () => {
    const seen = facesSeen(view([0]), 30);
    expect([seen.count, seen.closed]).toEqual([6, true]);
    const bits = [...seen.rims].reduce((n, b) => n + (b & 1) + ((b >> 1) & 1) + ((b >> 2) & 1), 0);
    expect(bits).toBe(24);
    // Where nothing is a crease all of it is one face, without an edge.
    const one = facesSeen(view([0]), 120);
    expect([one.count, [...one.rims].every((b) => b === 0)]).toEqual([1, true]);
  });
  test('an open one says so', () => {
    expect(facesSeen({ positions, triangles: t.slice(0, 30), starts: Uint32Array.from([0]) } as never, 30).closed).toBe(false);
  });
});
