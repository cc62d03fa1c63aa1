/** Single curves in a DXF, gone along either way round: where they begin, pass and end as ezdxf (Debian) has them. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { contourOf } from '../src/curves/drawing.ts';
import { circle, pointAt, type P2, type Segment } from '../src/curves/segment.ts';
import { readDxf } from '../src/formats/dxf/read.ts';
import { dxfFile } from '../src/formats/dxf/write.ts';
import type { DxfVersion } from '../src/model/dxf-version.ts';
import { layerOf } from './drawing.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'turns-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** First, middle and last place of each entity, the first and the last in the order of their numbers. */
const script = `
import json, math, sys
import ezdxf
def ends(points):
    a, m, b = ([round(v, 6) + 0.0 for v in (p[0], p[1])] for p in points)
    return [min(a, b), m, max(a, b)]
out = []
for e in ezdxf.readfile(sys.argv[1]).modelspace():
    kind = e.dxftype()
    if kind == 'ARC':
        a, b = math.radians(e.dxf.start_angle), math.radians(e.dxf.end_angle)
        while b <= a:
            b += 2 * math.pi
        c, r = e.dxf.center, e.dxf.radius
        out.append([kind, ends([(c.x + r * math.cos(t), c.y + r * math.sin(t)) for t in (a, (a + b) / 2, b)])])
    elif kind == 'CIRCLE':
        out.append([kind, [e.dxf.center.x, e.dxf.center.y, e.dxf.radius]])
    elif kind == 'ELLIPSE':
        a, b = e.dxf.start_param, e.dxf.end_param
        while b <= a:
            b += 2 * math.pi
        out.append([kind, ends(list(e.vertices([a, (a + b) / 2, b])))])
    elif kind == 'SPLINE':
        ct = e.construction_tool()
        out.append([kind, ends([ct.point(ct.max_t * t) for t in (0, 0.5, 1)])])
print(json.dumps(out))`;
const elsewhere = (bytes: Uint8Array): [string, number[][]][] => {
  const file = join(folder, 'a.dxf');
  writeFileSync(file, bytes);
  return JSON.parse(execFileSync('/usr/bin/python3', ['-c', script, file], { encoding: 'utf8' })) as [string, number[][]][];
};
const round = (p: P2): P2 => [Number(p[0].toFixed(6)) + 0, Number(p[1].toFixed(6)) + 0];
const ends = (s: Segment): P2[] => {
  const [a, m, b] = [0, 0.5, 1].map((t) => round(pointAt(s, t)));
  return a[0] < b[0] || (a[0] === b[0] && a[1] <= b[1]) ? [a, m, b] : [b, m, a];
};
const close = (list: number[][]) => list.map((p) => p.map((v) => expect.closeTo(v, 5)));

const arc = (start: number, sweep: number): Segment => ({ kind: 'arc', centre: [12, -7], radius: 9, start, sweep });
const ellipse = (start: number, sweep: number): Segment => ({ kind: 'ellipse', centre: [3, 4], u: [6, 8], ratio: 0.3, start, sweep });
const arcs = [arc(0.4, 1.2), arc(0.4, -1.2), arc(3, 5.9), arc(3, -5.9), arc(-2, -0.01), arc(7, 1)];
const curves: Segment[] = [
  ellipse(0.2, 2), ellipse(0.2, -2), ellipse(5, 3.5), ellipse(-5, -3.5),
  { kind: 'bezier', points: [[0, 0], [4, 9], [8, -9], [12, 0]] },
  { kind: 'spline', degree: 2, knots: [0, 0, 0, 2, 2, 2], points: [[0, 0], [5, 8], [10, 0]], weights: [1, 0.5, 1] },
  { kind: 'spline', degree: 3, knots: [0, 0, 0, 0, 1, 2, 2, 2, 2], points: [[0, 0], [2, 7], [6, 7], [9, 1], [14, 3]], weights: null },
]; // prettier-ignore

describe.each(['R12', '2000', '2018'] as DxfVersion[])('as %s', (version) => {
  const written = (list: Segment[]) => Buffer.concat([...dxfFile({ layers: [layerOf('a', list.map((s) => contourOf([s], false)))], blocks: [] }, version, 'mm', 1)]); // prettier-ignore
  const all = version === 'R12' ? arcs : [...arcs, ...curves];
  test('every curve begins, passes and ends where it did', () => {
    const found = elsewhere(written(all));
    expect(found).toHaveLength(all.length);
    all.forEach((s, i) => expect(found[i][1]).toEqual(close(ends(s))));
  });
  test('and so as we read it', () => {
    const { drawing } = readDxf(written(all));
    const read = drawing.layers.flatMap((l) => l.contours.flatMap((c) => c.segments.map(ends)));
    for (const s of all) expect(read).toContainEqual(close(ends(s)));
  });
  test('a full circle is one, whichever way round', () => {
    const turned: Segment = { ...circle([5, 6], 4), sweep: -2 * Math.PI };
    expect(elsewhere(written([circle([1, 2], 3), turned]))).toEqual([['CIRCLE', [1, 2, 3]], ['CIRCLE', [5, 6, 4]]]); // prettier-ignore
  });
});
