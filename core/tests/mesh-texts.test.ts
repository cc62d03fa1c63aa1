/** Mesh files with a line too few or too many: what is whole is read, what is not is told, and nothing is dropped without a word. */
import { describe, expect, test } from 'vitest';
import { measureMesh, type Mesh } from '../src/geometry/mesh.ts';
import type { MeshFile } from '../src/formats/mesh-file.ts';
import { readGltf } from '../src/formats/gltf/read.ts';
import { readObj } from '../src/formats/obj/read.ts';
import { readOff } from '../src/formats/off/read.ts';
import { readPly } from '../src/formats/ply/read.ts';
import { readAsciiStl } from '../src/formats/stl/read-ascii.ts';
import type { StlFile } from '../src/formats/stl/block.ts';
import { code } from './thrown.ts';

type V = [number, number, number];
const text = (s: string) => Uint8Array.from(s, (c) => c.charCodeAt(0));
/** A tetrahedron with legs of 3, 4 and 5 along the axes: 10 mm3. */
const corners: V[] = [[0, 0, 0], [3, 0, 0], [0, 4, 0], [0, 0, 5]]; // prettier-ignore
const sides = [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]]; // prettier-ignore
const volume = (m: Mesh) => measureMesh(m).volume;
const codes = (f: Pick<MeshFile | StlFile, 'findings'>) => f.findings.map((x) => [x.code, x.severity, x.count]);

describe('STL in text', () => {
  const facet = (side: readonly number[], end = 'endfacet\n') =>
    `facet normal 0 0 0\nouter loop\n${side.map((v) => `vertex ${corners[v].join(' ')}\n`).join('')}endloop\n${end}`;
  const solid = (inner: string, name = 'a') => `solid ${name}\n${inner}endsolid ${name}\n`;
  const whole = sides.map((s) => facet(s)).join('');
  const read = (s: string) => readAsciiStl(text(s));
  const total = (f: StlFile) => f.blocks.reduce((n, b) => n + volume(b.mesh), 0);
  test.each([
    ['as it should be', solid(whole)],
    ['in capitals with Windows ends', solid(whole).toUpperCase().replaceAll('\n', '\r\n')],
    ['with old ends of lines and tabs', solid(whole).replaceAll('\n', '\r').replaceAll(' ', '\t')],
    ['with one facet that never ends', solid(sides.map((s, i) => facet(s, i === 1 ? '' : undefined)).join(''))],
    ['with facets that never end at all', solid(sides.map((s) => facet(s, '')).join(''))],
    ['with corners outside of any facet', solid(`vertex 9 9 9\n${whole}`)],
    ['without loops', solid(whole.replaceAll('outer loop\n', '').replaceAll('endloop\n', ''))],
  ])('%s it is the whole part, and nothing is told', (_, file) => {
    const f = read(file);
    expect(total(f)).toBeCloseTo(10, 9);
    expect(codes(f)).toEqual([]);
  });
  test('two solids are two parts by their names; one without facets is told', () => {
    const f = read(solid(whole, 'one part') + solid('', 'none') + solid(whole, 'two'));
    expect(f.blocks.map((b) => b.name)).toEqual(['one part', 'two']);
    expect(codes(f)).toEqual([['no-triangles', 'look', 1]]);
  });
  test('a solid that begins within a facet: the facet that never ended is whole or told', () => {
    expect(total(read(`solid a\n${sides.map((s) => facet(s, '')).join('')}solid b\n${whole}endsolid b\n`))).toBeCloseTo(20, 9);
    expect(codes(read(`solid a\nfacet\nvertex 0 0 0\nsolid b\n${whole}endsolid b\n`))).toEqual([['no-triangles', 'look', 1], ['not-three-corners', 'stop', 1]]); // prettier-ignore
  });
  test.each([
    ['four corners', facet([0, 1, 2, 3]), ['not-three-corners', 'stop', 1]],
    ['two corners', facet([0, 1]), ['not-three-corners', 'stop', 1]],
    ['a number that is none', facet([0, 1, 2]).replace('3 0 0', '3 x 0'), ['not-numbers', 'stop', 1]],
    ['a coordinate too few', facet([0, 1, 2]).replace('3 0 0', '3 0'), ['not-numbers', 'stop', 1]],
    ['a number beyond single precision', facet([0, 1, 2]).replace('3 0 0', '3e39 0 0'), ['not-numbers', 'stop', 1]],
  ])('a facet with %s is left out and told; those after it are read', (_, bad, told) => {
    const f = read(solid(bad + whole));
    expect(total(f)).toBeCloseTo(10, 9);
    expect(codes(f)).toEqual([told]);
  });
  test('the largest number of single precision is one', () => {
    expect(codes(read(solid(facet([0, 1, 2]).replace('3 0 0', '3.4e38 0 0'))))).toEqual([]);
  });
  test('cut off: between facets it is told, within one it is refused', () => {
    const f = read(`solid a\n${whole}`);
    expect([total(f), codes(f)]).toEqual([expect.closeTo(10, 9), [['no-endsolid', 'look', 1]]]);
    expect(code(() => read(`solid a\n${whole}facet normal 0 0 0\nouter loop\nvertex 1 1 1\n`))).toBe('cut-off');
    expect(code(() => read('solid a\n'))).toBe('not-stl');
    expect(code(() => read(solid(whole.replace('3 0 0', '3,0 0 0'))))).toBe('decimal-comma');
  });
});

describe('OFF', () => {
  const rows = sides.map((s) => `3 ${s.join(' ')}\n`).join('');
  const file = (head = 'OFF\n4 4 0\n', faces = rows) => `${head}${corners.map((c) => `${c.join(' ')}\n`).join('')}${faces}`;
  const read = (s: string) => readOff(text(s));
  test('whole, with comments and blank lines, with the counts on the first line', () => {
    for (const s of [file(), file('OFF # made by hand\n\n# counts\n4 4 0\n\n'), file('OFF 4 4 6\n'), `${file()}\n  \n# the end\n`]) {
      const f = read(s);
      expect(volume(f.parts[0].mesh)).toBeCloseTo(10, 9);
      expect(codes(f)).toEqual([]);
    }
  });
  test('a face more than it counts is told: the part may be cut in two', () => {
    const f = read(file('OFF\n4 3 0\n'));
    expect(f.parts[0].mesh.triangles).toHaveLength(9);
    expect(codes(f)).toEqual([['goes-on', 'look', 1]]);
  });
  test('a face too few, a vertex too few: refused', () => {
    expect(code(() => read(file('OFF\n4 5 0\n')))).toBe('off-broken');
    expect(code(() => read(file('OFF\n9 4 0\n')))).toBe('off-broken');
    expect(code(() => read(file('OFF\n4\n')))).toBe('off-broken');
    expect(code(() => read(file('OFF\n4 -1 0\n')))).toBe('off-broken');
    expect(code(() => read(file('OFF\n4 1.5 0\n')))).toBe('off-broken');
    expect(code(() => read(file('OFF\n400000 4 0\n')))).toBe('off-broken');
  });
  test('faces that name what is not there, points and lines are counted', () => {
    const f = read(file('OFF\n4 8 0\n', `${rows}3 0 1 4\n3 0 -1 2\n1 0\n2 0 1\n`));
    expect(volume(f.parts[0].mesh)).toBeCloseTo(10, 9);
    expect(codes(f)).toEqual([['left-out', 'look', 2], ['bad-faces', 'stop', 2]]); // prettier-ignore
  });
  test('one colour by bytes or by shares is the part’s; two are told', () => {
    const coloured = (...c: string[]) => read(file('OFF\n4 4 0\n', sides.map((s, i) => `3 ${s.join(' ')} ${c[i % c.length]}\n`).join(''))); // prettier-ignore
    expect(coloured('255 128 0').parts[0].colour).toBe('#ff8000');
    expect(coloured('1.0 0.5 0').parts[0].colour).toBe('#ff8000');
    expect(codes(coloured('255 0 0', '0 255 0'))).toEqual([['colours-lost', 'look', 1]]);
  });
});

describe('PLY', () => {
  const head = (format: string, vertices: number, faces: number, more = '') => `ply\nformat ${format} 1.0\nelement vertex ${vertices}\nproperty float x\nproperty float y\nproperty float z\nelement face ${faces}\nproperty list uchar int vertex_indices\n${more}end_header\n`; // prettier-ignore
  const points = corners.map((c) => `${c.join(' ')}\n`).join('');
  const rows = sides.map((s) => `3 ${s.join(' ')}\n`).join('');
  const binary = (little: boolean, faces = 4, after: number[] = []) => {
    const data = new DataView(new ArrayBuffer(4 * 12 + 4 * 13));
    corners.flat().forEach((v, i) => data.setFloat32(i * 4, v, little));
    sides.forEach((s, i) => {
      data.setUint8(48 + i * 13, 3);
      s.forEach((v, k) => data.setInt32(49 + i * 13 + k * 4, v, little));
    });
    return Uint8Array.from([...text(head(`binary_${little ? 'little' : 'big'}_endian`, 4, faces)), ...new Uint8Array(data.buffer), ...after]);
  };
  test.each([
    ['text', text(head('ascii', 4, 4) + points + rows)],
    ['text with blank lines behind it', text(`${head('ascii', 4, 4)}${points}${rows}\n \n`)],
    ['little endian', binary(true)],
    ['big endian', binary(false)],
    ['binary with the end of a line behind it', binary(true, 4, [13, 10])],
    ['binary filled up with three zeros', binary(false, 4, [0, 0, 0])],
  ])('%s: whole, and nothing is told', (_, bytes) => {
    const f = readPly(bytes);
    expect(volume(f.parts[0].mesh)).toBeCloseTo(10, 6);
    expect(codes(f)).toEqual([]);
  });
  test.each([
    ['text', text(head('ascii', 4, 3) + points + rows)],
    ['binary', binary(true, 3)],
    ['binary with four zeros', binary(true, 4, [0, 0, 0, 0])],
  ])('%s: more faces than are counted are told', (_, bytes) => expect(codes(readPly(bytes))).toEqual([['goes-on', 'look', 1]]));
  test('fewer than are counted: refused', () => {
    expect(code(() => readPly(text(head('ascii', 4, 5) + points + rows)))).toBe('ply-broken');
    expect(code(() => readPly(binary(true).subarray(0, -1)))).toBe('ply-broken');
  });
  test('lists and elements that are not asked for are passed over, and elements told', () => {
    const more = 'property list uchar float texcoord\nelement edge 2\nproperty int a\nproperty int b\n';
    const f = readPly(text(`${head('ascii', 4, 4, more)}${points}${sides.map((s) => `3 ${s.join(' ')} 2 0.5 0.5\n`).join('')}0 1\n1 2\n`));
    expect(volume(f.parts[0].mesh)).toBeCloseTo(10, 9);
    expect(codes(f)).toEqual([['left-out', 'look', 2]]);
  });
});

describe('OBJ', () => {
  const v = corners.map((c) => `v ${c.join(' ')}\n`).join('');
  const f = (name: (n: number) => string | number = (n) => n + 1) => sides.map((s) => `f ${s.map(name).join(' ')}\n`).join('');
  test.each([
    ['plain', v + f()],
    ['numbers from the end', v + f((n) => n - 4)],
    ['with places of textures and normals', v + f((n) => `${n + 1}/1/2`)],
    ['with normals only', v + f((n) => `${n + 1}//2`)],
    ['a line that goes on in the next', v + f().replaceAll(' 2', ' \\\n 2')],
    ['comments, blank lines, spaces before words', `# made by hand\n\n${v.replaceAll('v ', '  v  ')}\n${f()}# end\n`],
    ['vertices after the faces that name them? no: before', `${v}v 9 9 9\n${f()}`],
  ])('%s: the same part', (_, s) => {
    const file = readObj(text(s));
    expect(volume(file.parts[0].mesh)).toBeCloseTo(10, 9);
    expect(codes(file)).toEqual([]);
  });
  test('a face that names vertices which are not there yet, none, or itself too few: counted, with the line', () => {
    const file = readObj(text(`f 1 2 3\n${v}${f()}f 1 2 5\nf 0 1 2\nf 1 2\nf a b c\n`));
    expect(volume(file.parts[0].mesh)).toBeCloseTo(10, 9);
    expect(codes(file)).toEqual([['bad-faces', 'stop', 5]]);
    expect(file.findings[0].message).toContain('first on line 1');
  });
});

describe('glTF', () => {
  const data = (() => {
    const cells = new DataView(new ArrayBuffer(48 + 24 + 24));
    corners.flat().forEach((x, i) => cells.setFloat32(i * 4, x / 1000, true));
    sides.flat().forEach((n, i) => cells.setUint16(48 + i * 2, n, true));
    // The same as whole numbers to be divided by 32767 and scaled up again by a node.
    corners.flat().forEach((x, i) => cells.setInt16(72 + i * 2, x * 5000, true));
    return Buffer.from(cells.buffer).toString('base64');
  })();
  const file = (more: object) =>
    text(
      JSON.stringify({
        asset: { version: '2.0' },
        scene: 0,
        scenes: [{ nodes: [0] }],
        nodes: [{ mesh: 0, name: 'Hub' }],
        meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }],
        accessors: [
          { bufferView: 0, componentType: 5126, count: 4, type: 'VEC3' },
          { bufferView: 1, componentType: 5123, count: 12, type: 'SCALAR' },
          { bufferView: 2, componentType: 5122, count: 4, type: 'VEC3', normalized: true },
        ],
        bufferViews: [
          { buffer: 0, byteLength: 48 },
          { buffer: 0, byteOffset: 48, byteLength: 24 },
          { buffer: 0, byteOffset: 72, byteLength: 24 },
        ],
        buffers: [{ uri: `data:application/octet-stream;base64,${data}`, byteLength: 96 }],
        ...more,
      }),
    );
  const told = (more: object) => readGltf(file(more)).findings.map((x) => [x.severity, x.message]);
  test('whole: metres are mm, and nothing is told', () => {
    const f = readGltf(file({}));
    expect(volume(f.parts[0].mesh)).toBeCloseTo(10, 5);
    expect(codes(f)).toEqual([]);
  });
  test('whole numbers that stand for shares', () => {
    const f = readGltf(file({ meshes: [{ primitives: [{ attributes: { POSITION: 2 }, indices: 1 }] }], extensionsRequired: ['KHR_mesh_quantization'] }));
    expect(volume(f.parts[0].mesh)).toBeCloseTo(10 * (5000 / 32.767) ** 3, -2);
  });
  test.each([
    ['bones', { nodes: [{ mesh: 0, skin: 0 }] }, '1 sets of bones that bend a mesh'],
    ['further copies', { nodes: [{ mesh: 0, extensions: { EXT_mesh_gpu_instancing: { attributes: {} } } }] }, '1 lists of further copies'],
    ['animations', { animations: [{}, {}] }, '2 animations'],
    ['another scene', { scenes: [{ nodes: [0] }, { nodes: [1] }], nodes: [{ mesh: 0 }, { mesh: 1 }], meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }, { primitives: [] }] }, '1 meshes that the scene does not show'],
    ['a mesh that nothing places', { meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }, { primitives: [] }] }, '1 meshes that the scene does not show'],
    ['points and lines', { meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }, { attributes: { POSITION: 0 }, mode: 0 }, { attributes: { POSITION: 0 }, mode: 1 }, { attributes: { POSITION: 0 }, mode: 3 }] }] }, '1 sets of points, 2 sets of lines'],
  ])('%s are told', (_, more, words) => expect(told(more)).toEqual([['look', `Left out: ${words}.`]])); // prettier-ignore
  test.each([
    ['strip', 5, [0, 2, 1, 3]],
    ['fan', 6, [1, 0, 2, 3]],
  ])('a %s turns each triangle the same way', (_, mode, order) => {
    const f = readGltf(file({ meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 3, mode }] }], accessors: [
      { bufferView: 0, componentType: 5126, count: 4, type: 'VEC3' }, { bufferView: 1, componentType: 5123, count: 12, type: 'SCALAR' }, { bufferView: 2, componentType: 5122, count: 4, type: 'VEC3' },
      { bufferView: 3, componentType: 5121, count: order.length, type: 'SCALAR' }],
      bufferViews: [{ buffer: 0, byteLength: 48 }, { buffer: 0, byteOffset: 48, byteLength: 24 }, { buffer: 0, byteOffset: 72, byteLength: 24 }, { buffer: 1, byteLength: order.length }],
      buffers: [{ uri: `data:application/octet-stream;base64,${data}`, byteLength: 96 }, { uri: `data:application/octet-stream;base64,${Buffer.from(order).toString('base64')}`, byteLength: order.length }] })); // prettier-ignore
    // Neighbours go along the edge between them opposite ways.
    const { triangles } = f.parts[0].mesh;
    const along = Array.from({ length: triangles.length / 3 }, (_, t) =>
      [0, 1, 2].map((k) => `${triangles[t * 3 + k]} ${triangles[t * 3 + ((k + 1) % 3)]}`),
    ).flat();
    expect(new Set(along).size).toBe(along.length);
    expect(triangles).toHaveLength(6);
  });
  test('corners too few for the last triangle are told', () => {
    const odd = { accessors: [{ bufferView: 0, componentType: 5126, count: 4, type: 'VEC3' }, { bufferView: 1, componentType: 5123, count: 11, type: 'SCALAR' }] }; // prettier-ignore
    expect(codes(readGltf(file(odd)))).toEqual([['bad-faces', 'stop', 1]]);
  });
  test('data that end too early are refused, a byte before as much as at the last', () => {
    const views = [{ buffer: 0, byteLength: 96 }, { buffer: 0, byteOffset: 48, byteLength: 24 }]; // prettier-ignore
    const cut = (byteOffset: number) => file({ bufferViews: views, accessors: [{ bufferView: 0, byteOffset, componentType: 5126, count: 8, type: 'VEC3' }, { bufferView: 1, componentType: 5123, count: 12, type: 'SCALAR' }] }); // prettier-ignore
    expect(codes(readGltf(cut(0)))).not.toContainEqual(['gltf-broken', 'stop', 1]);
    expect(code(() => readGltf(cut(1)))).toBe('gltf-broken');
  });
});
