import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js';
import Manifold from 'manifold-3d';
import { describe, expect, test } from 'vitest';
import { asciiStl, binaryStl, binaryStlLength } from '../src/formats/stl/write.ts';
import { boxMesh, prismMesh } from './data.ts';

const bytesOf = (pieces: Iterable<Uint8Array>) => Buffer.concat([...pieces]);
const load = (bytes: Buffer) => new STLLoader().parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer);

describe('binary STL (StereoLithography interface specification, 1989)', () => {
  test('is 84 + 50 n bytes with its count, and never begins with "solid"', () => {
    for (const n of [3, 17, 400]) {
      const bytes = bytesOf(binaryStl(prismMesh(n, 10, 5), 1, 'solid prism', 100));
      expect(bytes.length).toBe(84 + 50 * 4 * n);
      expect(bytes.readUInt32LE(80)).toBe(4 * n);
      expect(bytes.subarray(0, 5).toString().toLowerCase()).not.toBe('solid');
    }
    expect(binaryStlLength(1_000_000)).toBe(50_000_084);
  });
  test("three's STLLoader reads the same corners and unit normals", () => {
    const geometry = load(bytesOf(binaryStl(boxMesh(1, 2, 3), 1, 'box')));
    geometry.computeBoundingBox();
    expect(geometry.boundingBox!.max.toArray()).toEqual([1, 2, 3]);
    const normals = geometry.getAttribute('normal').array;
    for (let i = 0; i < normals.length; i += 3) expect(Math.hypot(normals[i], normals[i + 1], normals[i + 2])).toBeCloseTo(1, 6);
    // The first two triangles are the bottom: their normal points down.
    expect(Array.from(normals.slice(0, 3))).toEqual([0, 0, -1]);
  });
  test('in inches every number is 25.4 times smaller (yard and pound agreement, 1959)', () => {
    const geometry = load(bytesOf(binaryStl(boxMesh(25.4, 50.8, 254), 25.4, 'box')));
    geometry.computeBoundingBox();
    expect(geometry.boundingBox!.max.toArray().map((v) => Math.fround(v))).toEqual([1, 2, 10]);
  });
  test('manifold-3d, which takes closed meshes only, takes it and finds the volume of a prism', async () => {
    const wasm = await Manifold();
    wasm.setup();
    const geometry = load(bytesOf(binaryStl(prismMesh(24, 10, 7), 1, 'prism')));
    const p = geometry.getAttribute('position').array as Float32Array;
    const mesh = new wasm.Mesh({ numProp: 3, vertProperties: p, triVerts: Uint32Array.from({ length: p.length / 3 }, (_, i) => i) });
    mesh.merge();
    const solid = new wasm.Manifold(mesh);
    // Area of a regular n-gon: n r^2 sin(2 pi / n) / 2.
    expect(solid.volume()).toBeCloseTo(((24 * 100 * Math.sin(Math.PI / 12)) / 2) * 7, 2);
  });
});

describe('ASCII STL', () => {
  test("three's STLLoader reads the same float32 numbers as from binary", () => {
    const mesh = prismMesh(13, 12.345678, 3.3);
    const ascii = load(bytesOf(asciiStl(mesh, 1, 'prism', 7))).getAttribute('position').array;
    const binary = load(bytesOf(binaryStl(mesh, 1, 'prism'))).getAttribute('position').array;
    expect(Array.from(ascii, Math.fround)).toEqual(Array.from(binary));
  });
});
