import { describe, expect, test } from 'vitest';
import { readStl, stlEncoding } from '../src/formats/stl/read.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { checkMesh } from '../src/mesh/soundness/check-mesh.ts';
import { dataFile, handMadeStl } from './data.ts';

const corner = [0, 0, 0, 1, 0, 0, 0, 1, 0];

describe('open data against figures of other readers (numpy edge counts)', () => {
  test('Spider_binary.stl: 1368 triangles, 56 degenerate, 72 open edges, 18 shells, 10 flipped edges', () => {
    const [block] = readStl(dataFile('Spider_binary.stl')).blocks;
    const sound = checkMesh(block.mesh);
    expect(sound).toMatchObject({ triangles: 1368, degenerateTriangles: 56, openEdges: 72, shells: 18, flippedEdges: 10, closed: false });
    expect(sound.openEdgeVertices).toHaveLength(144);
  });
  test('sphereWithHole.stl: ASCII, 285 triangles, 9 open edges, 1 shell', () => {
    const file = readStl(dataFile('sphereWithHole.stl'));
    expect(file.encoding).toBe('ascii');
    expect(checkMesh(file.blocks[0].mesh)).toMatchObject({ triangles: 285, openEdges: 9, shells: 1 });
  });
  test('Helix.stl: 500 triangles, 252 vertices, closed, volume 108197', () => {
    const [block] = readStl(dataFile('Helix.stl')).blocks;
    expect(block.mesh.positions.length / 3).toBe(252);
    expect(checkMesh(block.mesh)).toMatchObject({ triangles: 500, closed: true, shells: 1 });
    expect(measureMesh(block.mesh).volume).toBeCloseTo(108197, -1);
  });
  test('two solid blocks are two parts; an empty one is said and left out', () => {
    expect(readStl(dataFile('triangle_with_two_solids.stl')).blocks.map((b) => b.name)).toEqual(['testTriangle_1', 'testTriangle_2']);
    const withEmpty = readStl(dataFile('triangle_with_empty_solid.stl'));
    expect(withEmpty.blocks).toHaveLength(1);
    expect(withEmpty.findings).toMatchObject([{ code: 'no-triangles', severity: 'look' }]);
  });
});

describe('binary or ASCII is decided by the length rule (common practice)', () => {
  test('a binary file that begins with "solid" is binary', () => {
    const bytes = handMadeStl([corner, corner], 'solid but binary');
    expect(stlEncoding(bytes)).toBe('binary');
    expect(readStl(bytes).blocks[0].mesh.triangles).toHaveLength(6);
  });
  test('any line ending, any case, minus zero equal to zero', () => {
    const text = 'SOLID a\r\nFACET NORMAL 0 0 1\r\nOUTER LOOP\r\nVERTEX 0 0 0\r\nVERTEX 1e0 -0 0\r\nvertex 0 1. 0\r\nENDLOOP\r\nENDFACET\r\nENDSOLID a\r\n';
    for (const ending of ['\r\n', '\n', '\r']) {
      const [block] = readStl(Buffer.from(text.replaceAll('\r\n', ending))).blocks;
      expect(Array.from(block.mesh.positions)).toEqual([0, 0, 0, 1, 0, 0, 0, 1, 0]);
    }
  });
});

describe('bad input gives a sentence and a remedy', () => {
  const codeOf = (bytes: Uint8Array) => {
    try {
      readStl(bytes);
    } catch (thrown) {
      const { code, message, remedy } = thrown as { code: string; message: string; remedy: string };
      expect(message).toMatch(/^[A-Z].*\.$/);
      expect(remedy).toMatch(/^[A-Z].*\.$/);
      return code;
    }
    return 'read';
  };
  test('empty, cut off, huge count, plain text, text without facets, text cut in a facet', () => {
    expect(codeOf(new Uint8Array(0))).toBe('empty-file');
    expect(codeOf(handMadeStl([corner, corner]).subarray(0, 150))).toBe('cut-off');
    expect(codeOf(handMadeStl([corner], '', 0xffffffff))).toBe('cut-off');
    expect(codeOf(Buffer.from('dear reader, this is a letter and not a part\n'.repeat(9)))).toBe('not-stl');
    expect(codeOf(Buffer.from('solid nothing here\nendsoli'))).toBe('not-stl');
    expect(codeOf(dataFile('sphereWithHole.stl').subarray(0, 4000))).toBe('cut-off');
  });
  test('NaN and infinite coordinates are counted, left out, and stop the part', () => {
    const bad = handMadeStl([corner, [NaN, 0, 0, 1, 0, 0, 0, 1, 0], [0, 0, 0, Infinity, 0, 0, 0, 1, 0]]);
    const file = readStl(bad);
    expect(file.findings).toMatchObject([{ code: 'not-numbers', severity: 'stop', count: 2 }]);
    expect(file.blocks[0].mesh.triangles).toHaveLength(3);
  });
  test('bytes after the last triangle are said', () => {
    const file = readStl(Buffer.concat([handMadeStl([corner]), Buffer.alloc(7)]));
    expect(file.findings).toMatchObject([{ code: 'bytes-after-end', count: 7 }]);
  });
  test('a fuzz run of mutated files ends with a result or a sentence, never another error', () => {
    let seed = 12345;
    const random = (n: number) => (seed = (Math.imul(seed, 1103515245) + 12345) >>> 0) % n;
    const sources = [
      handMadeStl([corner, corner, corner], 'solid x'),
      dataFile('triangle_with_two_solids.stl'),
      dataFile('sphereWithHole.stl').subarray(0, 2500),
    ];
    for (let i = 0; i < 3000; i++) {
      const bytes = Buffer.from(sources[i % 3]);
      for (let k = 0; k <= random(6); k++) bytes[random(bytes.length)] = random(256);
      const end = random(4) === 0 ? random(bytes.length) : bytes.length;
      expect(codeOf(bytes.subarray(0, end))).toMatch(/^(read|cut-off|not-stl|empty-file|too-many-triangles)$/);
    }
  });
});
