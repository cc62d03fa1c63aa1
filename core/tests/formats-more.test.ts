/** OFF, AMF and glTF: read right, by hand-made bytes of a box whose size and volume are known; what is damaged is said. */
import { describe, expect, test } from 'vitest';
import { usualChoices } from '../src/model/choices.ts';
import type { Design } from '../src/model/design.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { readAmf } from '../src/formats/amf/read.ts';
import { readGltf } from '../src/formats/gltf/read.ts';
import { decimalComma } from '../src/formats/mesh-file.ts';
import { readOff } from '../src/formats/off/read.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { placedMesh } from '../src/processes/receive.ts';
import { boxMesh, dataFile } from './data.ts';

const box = boxMesh(1, 2, 3);
const rows = (list: ArrayLike<number>, n: number) => Array.from({ length: list.length / n }, (_, i) => Array.from(list).slice(i * n, i * n + n));
const text = (s: string) => Buffer.from(s);
const open = (bytes: Uint8Array, name: string): Promise<Design> => readDesign(bytes, name, nodeKernels, { ...usualChoices, up: 'z' });
const corners = rows(box.positions, 3);
const faces = rows(box.triangles, 3);

describe('OFF', () => {
  const off = (head: string, more: (i: number) => string, face = '') =>
    `${head}\n# a comment\n${corners.length} ${faces.length} 0\n\n${corners.map((c, i) => `${c.join(' ')}${more(i)}`).join('\n')}\n${faces.map((f) => `3 ${f.join(' ')}${face}`).join('\n')}\n`;
  test('plain, with normals, with colours a vertex, with colours a face; by its bytes under any ending', async () => {
    for (const file of [off('OFF', () => ''), off('NOFF', () => ' 0 0 1'), off('COFF', () => ' 255 0 0 255'), `# first\n${off('OFF', () => '')}`]) {
      const [{ summary }] = (await open(text(file), 'box.txt')).parts;
      expect(summary.volume).toBeCloseTo(6, 12);
      expect(summary.openEdges).toBe(0);
    }
    expect(readOff(text(off('OFF', () => '', ' 0.5 0.25 1'))).parts[0].colour).toBe('#8040ff');
    expect(readOff(text(off('OFF', () => '', ' 10 20 30'))).parts[0].colour).toBe('#0a141e');
  });
  test('squares become triangles; two colours are told; a face that names no vertex is left out and said', () => {
    const quads = 'OFF\n4 1 0\n0 0 0\n5 0 0\n5 4 0\n0 4 0\n4 0 1 2 3\n';
    expect(measureMesh(readOff(text(quads)).parts[0].mesh).area).toBeCloseTo(20, 12);
    const two = off('OFF', () => '')
      .replace(/^3 (.*)$/m, '3 $1 255 0 0')
      .replace(/\n3 ([^\n]*)\n$/, '\n3 $1 0 255 0\n');
    expect(readOff(text(two)).findings.map((f) => f.code)).toContain('colours-lost');
    expect(readOff(text(quads.replace('0 1 2 3\n', '0 1 2 9\n'))).findings.map((f) => f.code)).toEqual(expect.arrayContaining(['bad-faces', 'no-triangles']));
  });
  test('cut off, binary, of four dimensions, with a comma: each says so', () => {
    const whole = off('OFF', () => '');
    expect(() => readOff(text(whole.slice(0, whole.length - 30)))).toThrow(/ends among its faces/);
    expect(() => readOff(text(whole.slice(0, 60)))).toThrow(/ends among its vertices|more than the file can hold/);
    expect(() => readOff(text('OFF BINARY\n1 2 3'))).toThrow(/binary/);
    expect(() => readOff(text('4OFF\n1 1 0\n0 0 0 0\n3 0 0 0\n'))).toThrow(/more than three dimensions/);
    expect(() => readOff(text(whole.replace('1 2 3', '1,5 2 3')))).toThrow(/decimal comma \("1,5"\)/);
    expect(() => readOff(text('OFF\n999999999 999999999 0\n'))).toThrow(/more than the file can hold/);
  });
});

describe('AMF', () => {
  const vertices = corners.map(([x, y, z]) => `<vertex><coordinates><x>${x}</x><y>${y}</y><z>${z}</z></coordinates></vertex>`).join('');
  const volume = (attributes = '', inner = '') =>
    `<volume${attributes}>${inner}${faces.map(([a, b, c]) => `<triangle><v1>${a}</v1><v2>${b}</v2><v3>${c}</v3></triangle>`).join('')}</volume>`;
  const amf = (unit: string, mesh: string, after = '') =>
    `<?xml version="1.0"?>\n<amf unit="${unit}"><object id="1"><metadata type="name">Hub</metadata><mesh><vertices>${vertices}</vertices>${mesh}</mesh></object>${after}</amf>`;
  test('units, names and the material of a volume', async () => {
    const design = await open(text(amf('inch', volume(' materialid="7"'), '<material id="7"><color><r>1</r><g>0.5</g><b>0</b></color></material>')), 'a.amf');
    expect(design.unit).toBe('in');
    expect(design.parts[0].summary).toMatchObject({ name: 'Hub', colour: '#ff8000' });
    expect(design.parts[0].summary.volume).toBeCloseTo(6 * 25.4 ** 3, 6);
    expect(readAmf(text(amf('feet', volume()))).parts[0].mesh.positions).toContain(304.8);
    expect(() => readAmf(text(amf('furlong', volume())))).toThrow(/unit "furlong"/);
  });
  test('a constellation turns and shifts copies: 90 degrees about Z, then 10 along X', () => {
    const placed = '<constellation id="9"><instance objectid="1"><deltax>10</deltax><rz>90</rz></instance><instance objectid="1"/></constellation>';
    const [part] = readAmf(text(amf('millimeter', volume(), placed))).parts;
    expect(part.places).toHaveLength(2);
    const { box: at } = measureMesh(placedMesh(part.mesh, part.places[0]));
    [8, 0, 0].forEach((v, k) => expect(at.min[k]).toBeCloseTo(v, 12));
    [10, 1, 3].forEach((v, k) => expect(at.max[k]).toBeCloseTo(v, 12));
  });
  test('two volumes are two parts; curved triangles are told; damage is said', () => {
    const two = readAmf(text(amf('millimeter', volume() + volume())));
    expect(two.parts.map((p) => p.name)).toEqual(['Hub 1', 'Hub 2']);
    const curved = readAmf(text(amf('millimeter', volume()).replace('</coordinates>', '</coordinates><normal><nx>0</nx></normal>')));
    expect(curved.findings.map((f) => f.code)).toContain('left-out');
    expect(() => readAmf(text('<amf><object'))).toThrow(/XML is damaged/);
    expect(readAmf(text(amf('millimeter', volume()).replace('<v1>0</v1>', '<v1>99</v1>'))).findings.map((f) => f.code)).toContain('bad-faces');
  });
});

describe('glTF', () => {
  // Metres with Y up, as the standard says: 0.001 x 0.003 x 0.002 m there is 1 x 2 x 3 mm with Z up here.
  const points = Float32Array.from(corners.flatMap(([x, y, z]) => [x / 1000, z / 1000, -y / 1000]));
  const index = Uint16Array.from(box.triangles);
  const bin = Buffer.concat([Buffer.from(points.buffer), Buffer.from(index.buffer)]);
  const json = (more: object = {}) => ({
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0, name: 'Hub' }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1, material: 0 }] }],
    materials: [{ pbrMetallicRoughness: { baseColorFactor: [1, 0.21586, 0, 1] } }],
    accessors: [
      { bufferView: 0, componentType: 5126, count: corners.length, type: 'VEC3' },
      { bufferView: 1, componentType: 5123, count: box.triangles.length, type: 'SCALAR' },
    ],
    bufferViews: [
      { buffer: 0, byteOffset: 0, byteLength: points.byteLength },
      { buffer: 0, byteOffset: points.byteLength, byteLength: index.byteLength },
    ],
    buffers: [{ byteLength: bin.length }],
    ...more,
  });
  const glb = (what: object, data = bin) => {
    const pad = (b: Buffer, by: number) => Buffer.concat([b, Buffer.alloc((4 - (b.length % 4)) % 4, by)]);
    const [j, d] = [pad(text(JSON.stringify(what)), 32), pad(data, 0)];
    const head = Buffer.alloc(12);
    head.write('glTF');
    head.writeUInt32LE(2, 4);
    head.writeUInt32LE(12 + 8 + j.length + 8 + d.length, 8);
    const chunk = (kind: number, b: Buffer) => {
      const h = Buffer.alloc(8);
      h.writeUInt32LE(b.length, 0);
      h.writeUInt32LE(kind, 4);
      return Buffer.concat([h, b]);
    };
    return Buffer.concat([head, chunk(0x4e4f534a, j), chunk(0x004e4942, d)]);
  };
  test('packed, and as text with its data inside: size in mm, Z up, name and colour', async () => {
    for (const [bytes, name] of [
      [glb(json()), 'a.glb'],
      [text(JSON.stringify(json({ buffers: [{ byteLength: bin.length, uri: `data:application/octet-stream;base64,${bin.toString('base64')}` }] }))), 'a.gltf'],
    ] as const) {
      // prettier-ignore
      const design = await open(bytes, name);
      const { summary } = design.parts[0];
      expect(design.unit).toBe('m');
      expect(summary).toMatchObject({ name: 'Hub', colour: '#ff8000', openEdges: 0 });
      expect(summary.volume).toBeCloseTo(6, 4);
      expect(summary.box.max.map((v, k) => v - summary.box.min[k])).toEqual([expect.closeTo(1, 5), expect.closeTo(2, 5), expect.closeTo(3, 5)]);
    }
  });
  test('numbers that reach beyond their part of the buffer are refused, though the buffer holds more', async () => {
    const { bufferViews } = json();
    const with_ = (byteLength: number) => open(glb(json({ bufferViews: [{ ...bufferViews[0], byteLength }, bufferViews[1]] })), 'a.glb');
    expect((await with_(points.byteLength)).parts).toHaveLength(1);
    await expect(with_(points.byteLength - 1)).rejects.toThrow(/it is cut off/);
    await expect(open(glb(json({ bufferViews: [bufferViews[0], { ...bufferViews[1], byteOffset: -2 }] })), 'a.glb')).rejects.toThrow(/do not fit together/);
  });
  test('nodes place: a turn about Y there is one about Z here; a larger copy is another part; a mirrored one stays right side out', async () => {
    const half = Math.SQRT1_2;
    const placed = json({ scenes: [{ nodes: [0, 1, 2] }], nodes: [{ mesh: 0, rotation: [0, half, 0, half], translation: [0.01, 0.02, 0.03] }, { mesh: 0, scale: [2, 2, 2] }, { mesh: 0, scale: [-1, 1, 1] }] }); // prettier-ignore
    const { parts } = await open(glb(placed), 'a.glb');
    expect(parts.map((p) => Math.round(p.summary.volume))).toEqual([6, 48, 6]);
    const [{ geometry, summary }] = parts;
    if (geometry.kind !== 'mesh') throw new Error('no mesh');
    const { box: at } = measureMesh(placedMesh(geometry.mesh, summary.places![0]));
    // 1 x 2 x 3 turned about Z is 2 x 1 x 3; shifted by (0.01, 0.02, 0.03) m there: 10, -30, 20 mm here.
    expect(at.max.map((v, k) => v - at.min[k])).toEqual([expect.closeTo(2, 4), expect.closeTo(1, 4), expect.closeTo(3, 4)]);
    expect(at.min[2]).toBeCloseTo(20, 4);
  });
  test('strips and fans; lines are told; data elsewhere, compression, circles and cut-off bytes are refused', () => {
    const strip = json({ meshes: [{ primitives: [{ attributes: { POSITION: 0 }, mode: 5 }] }] });
    expect(readGltf(glb(strip)).parts[0].mesh.triangles).toHaveLength((corners.length - 2) * 3);
    const fan = json({
      meshes: [
        {
          primitives: [
            { attributes: { POSITION: 0 }, mode: 6 },
            { attributes: { POSITION: 0 }, mode: 1 },
          ],
        },
      ],
    });
    expect(readGltf(glb(fan)).findings.map((f) => f.code)).toContain('left-out');
    expect(() => readGltf(text(JSON.stringify(json({ buffers: [{ byteLength: 9, uri: 'a.bin' }] }))))).toThrow(/in another file/);
    expect(() => readGltf(glb(json({ extensionsRequired: ['KHR_draco_mesh_compression'] })))).toThrow(/KHR_draco/);
    expect(() => readGltf(glb(json({ nodes: [{ mesh: 0, children: [0] }] })))).toThrow(/nested too deep or in a circle/);
    expect(() => readGltf(glb(json()).subarray(0, 300))).toThrow(/cut off/);
    expect(() => readGltf(glb(json(), bin.subarray(0, 50)))).toThrow(/cut off/);
    expect(() => readGltf(glb(json({ asset: { version: '1.0' } })))).toThrow(/version 2/);
  });
});

describe('what text files get wrong', () => {
  test('a comma between digits is named; words and lists are not', () => {
    for (const word of ['1,5', '-0,25', ',5', '1,5e-3']) expect(() => decimalComma(word)).toThrow(/decimal comma/);
    for (const word of ['1.5', 'a,b', '1,2,3', '', 'x1,5']) expect(() => decimalComma(word)).not.toThrow();
  });
  test('box_far.obj: a cube of 20 mm half a million kilometres away keeps its size; colorgroup.3mf tells that one colour is kept', async () => {
    const far = await open(dataFile('faults/box_far.obj'), 'box_far.obj');
    expect(far.parts[0].summary.volume).toBeCloseTo(8000, 3);
    const colours = await open(dataFile('faults/colorgroup.3mf'), 'colorgroup.3mf');
    expect(colours.findings.map((f) => f.code)).toContain('colours-lost');
    expect(colours.parts[0].summary.lost?.map((f) => f.code)).toContain('colours-lost');
  });
});
