/**
 * Gerber and drill files: closed forms by hand, what other writers write (both units, all zero modes, macros, blocks, step and repeat), each also held against an independent
 * reader (gerber_read.py) where that knows the feature; and mutated files, which end with a result or a sentence.
 */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, test } from 'vitest';
import { Unusable } from '../src/base/finding.ts';
import { distance, endOf, startOf, type ArcSegment, type P2 } from '../src/curves/segment.ts';
import { readDrill } from '../src/formats/drill/read.ts';
import { drillFile } from '../src/formats/drill/write.ts';
import { Images } from '../src/formats/gerber/image.ts';
import { areasOfMacro, valueOf } from '../src/formats/gerber/macro.ts';
import { readGerber } from '../src/formats/gerber/read.ts';
import { GerberWriter, type Track } from '../src/formats/gerber/write.ts';
import { nodeTools } from '../src/pipeline/node-tools.ts';
import { random } from './tube.data.ts';

const folder = mkdtempSync(join(tmpdir(), 'tall-kite-gerber-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const script = fileURLToPath(new URL('readers/gerber_read.py', import.meta.url));
const bytes = (text: string) => new TextEncoder().encode(text);
const head = '%FSLAX46Y46*%\n%MOMM*%\nG75*\n';
/** Millimetres as the file says them. */
const mm = (v: number) => Math.round(v * 1e6);

async function areaOf(text: string): Promise<number> {
  const image = new Images(await nodeTools.engine(), 1e-5).layer(readGerber(bytes(text)).objects);
  const area = image.area();
  image.delete();
  return area;
}

/** Areas by the independent reader, its arcs within a ten-millionth. */
function elsewhere(texts: readonly string[]): { area: number; notes: string[]; error?: string }[] {
  const files = texts.map((t, i) => {
    const file = join(folder, `f${i}.gbr`);
    writeFileSync(file, t);
    return file;
  });
  const code = `import sys; sys.path.insert(0, ${JSON.stringify(join(script, '..'))}); import gerber_read as g; g.TOL = 1e-7; src = open(g.__file__).read().split("if __name__")[1]; exec("if __name__" + src, {**vars(g), '__name__': '__main__'})`;
  const out = execFileSync('/usr/bin/python3', ['-c', code, ...files], { encoding: 'utf8' });
  return out.trim().split('\n').map((l) => JSON.parse(l)); // prettier-ignore
}

const disc = (d: number) => (Math.PI * d * d) / 4;
/** [what, file, area in mm2, whether the independent reader knows it] */
const forms: [string, string, number, boolean][] = [
  ['a ring: a round aperture with a hole', `${head}%ADD10C,4X1.5*%\nD10*\nX0Y0D03*\nM02*`, disc(4) - disc(1.5), true],
  ['a rectangle with a hole', `${head}%ADD10R,4X3X1*%\nD10*\nX0Y0D03*\nM02*`, 12 - disc(1), true],
  ['an obround, a slot: 5 x 2', `${head}%ADD10O,5X2*%\nD10*\nX0Y0D03*\nM02*`, 3 * 2 + disc(2), true],
  ['an obround that stands', `${head}%ADD10O,2X5*%\nD10*\nX0Y0D03*\nM02*`, 3 * 2 + disc(2), true],
  ['a hexagon, turned', `${head}%ADD10P,4X6X17*%\nD10*\nX0Y0D03*\nM02*`, ((3 * Math.sqrt(3)) / 2) * 4, true],
  ['a line with a round pen', `${head}%ADD10C,1*%\nD10*\nG01*\nX0Y0D02*\nX${mm(7)}Y0D01*\nM02*`, 7 + disc(1), true],
  ['a quarter arc with a round pen', `${head}%ADD10C,1*%\nD10*\nG03*\nX${mm(5)}Y0D02*\nX0Y${mm(5)}I${-mm(5)}J0D01*\nM02*`, (Math.PI / 4) * (5.5 ** 2 - 4.5 ** 2) + disc(1), true],
  ['a full circle with a round pen', `${head}%ADD10C,1*%\nD10*\nG03*\nX${mm(5)}Y0D02*\nX${mm(5)}Y0I${-mm(5)}J0D01*\nM02*`, Math.PI * (5.5 ** 2 - 4.5 ** 2), true],
  ['an arc narrower than its pen', `${head}%ADD10C,2*%\nD10*\nG03*\nX${mm(0.5)}Y0D02*\nX${-mm(0.5)}Y0I${-mm(0.5)}J0D01*\nM02*`, (Math.PI * 1.5 ** 2) / 2 + lensBelow(), false],
  ['a region with a half round', `${head}G36*\nG01*\nX0Y0D02*\nX${mm(4)}Y0D01*\nG03*\nX0Y0I${-mm(2)}J0D01*\nG37*\nM02*`, (Math.PI * 4) / 2, true],
  ['a cut-in: an opening wound the other way, joined by a seam', `${head}G36*\nG01*\nX0Y0D02*\nX${mm(10)}Y0D01*\nX${mm(10)}Y${mm(10)}D01*\nX0Y${mm(10)}D01*\nX0Y${mm(5)}D01*\nX${mm(3)}Y${mm(5)}D01*\nX${mm(3)}Y${mm(7)}D01*\nX${mm(7)}Y${mm(7)}D01*\nX${mm(7)}Y${mm(5)}D01*\nX${mm(3)}Y${mm(5)}D01*\nX0Y${mm(5)}D01*\nX0Y0D01*\nG37*\nM02*`, 100 - 8, true],
  ['two contours of a region', `${head}G36*\nG01*\nX0Y0D02*\nX${mm(1)}Y0D01*\nX0Y${mm(1)}D01*\nX0Y0D01*\nX${mm(5)}Y0D02*\nX${mm(6)}Y0D01*\nX${mm(5)}Y${mm(1)}D01*\nX${mm(5)}Y0D01*\nG37*\nM02*`, 1, true],
  ['taken away, and laid on again', `${head}%ADD10C,4*%\n%ADD11C,2*%\n%ADD12C,1*%\nD10*\nX0Y0D03*\n%LPC*%\nD11*\nX0Y0D03*\n%LPD*%\nD12*\nX0Y0D03*\nM02*`, disc(4) - disc(2) + disc(1), true],
  ['a macro with arithmetic: a ring by $1 and a bar by $1x2-$2/4', `${head}%AMX*1,1,$1,0,0*1,0,$1x0.5,0,0*$3=$1x2-$2/4*21,1,$3,0.5,20,0,0*%\n%ADD10X,4X4*%\nD10*\nX0Y0D03*\nM02*`, disc(4) - disc(2) + 3.5, true],
  ['a thermal', `${head}%AMT*7,0,0,6,4,1,0*%\n%ADD10T*%\nD10*\nX0Y0D03*\nM02*`, thermal(6, 4, 1), true],
  ['an outline macro, turned', `${head}%AMO*4,1,3,0,0,3,0,0,2,0,0,30*%\n%ADD10O1*%\n`.replace('O1', 'OO').replace('%AMO', '%AMOO') + `D10*\nX0Y0D03*\nM02*`, 3, true],
  ['a vector line of a macro', `${head}%AMV*20,1,1,0,0,3,4,0*%\n%ADD10V*%\nD10*\nX0Y0D03*\nM02*`, 5, true],
  ['a polygon of a macro', `${head}%AMP1*5,1,4,0,0,4,45*%\n%ADD10P1*%\nD10*\nX0Y0D03*\nM02*`, 8, true],
  ['step and repeat', `${head}%ADD10C,1*%\nD10*\n%SRX3Y2I2J3*%\nX0Y0D03*\n%SR*%\nM02*`, 6 * disc(1), true],
  ['a block, set down twice, once turned and larger', `${head}%ADD10R,2X1*%\n%ABD11*%\nD10*\nX${mm(1)}Y0D03*\n%AB*%\nD11*\nX0Y0D03*\n%LR90*%\n%LS2*%\nX${mm(20)}Y0D03*\nM02*`, 2 + 8, false],
  ['a block whose clear part goes through what lies under it', `${head}%ADD10C,4*%\n%ADD12C,1*%\n%ABD11*%\n%LPC*%\nD12*\nX0Y0D03*\n%LPD*%\n%AB*%\nD10*\nX0Y0D03*\nD11*\nX0Y0D03*\nM02*`, disc(4) - disc(1), false],
  ['mirrored', `${head}%AMT*4,1,3,0,0,4,0,0,1,0,0,0*%\n%ADD10T*%\nD10*\nX0Y0D03*\n%LMX*%\nX0Y0D03*\nM02*`, 4, true],
  ['in inches', '%FSLAX24Y24*%\n%MOIN*%\n%ADD10C,0.1*%\nD10*\nX10000Y0D03*\nM02*', disc(2.54), true],
  ['trailing zeros left out', '%FSTAX34Y34*%\n%MOMM*%\n%ADD10C,1*%\nD10*\nG01*\nX0Y0D02*\nX007Y0D01*\nM02*', 7 + disc(1), true],
  ['a quarter arc of old (G74)', '%FSLAX46Y46*%\n%MOMM*%\nG74*\n%ADD10C,1*%\nD10*\nG03*\nX5000000Y0D02*\nX0Y5000000I5000000J0D01*\nM02*', (Math.PI / 4) * (5.5 ** 2 - 4.5 ** 2) + disc(1), false],
  ['a line with a square pen', `${head}%ADD10R,1X1*%\nD10*\nG01*\nX0Y0D02*\nX${mm(4)}Y0D01*\nM02*`, 5, true],
  ['places without what to do, attributes, comments, deprecated words without effect', `G04 a comment*\n%TF.FileFunction,Copper,L1,Top*%\n%IPPOS*%\n${head}%TA.AperFunction,Conductor*%\n%ADD10C,1*%\n%TD*%\nG54D10*\nG01X0Y0D02*\nX${mm(3)}D01*\nY${mm(4)}*\nM02*`, 3 + 4 + disc(1) - overlapAtCorner(), true],
]; // prettier-ignore

/** Ring less a cross: by integration of the discs' chords. */
function thermal(outer: number, inner: number, gap: number): number {
  const strip = (d: number) => {
    const [r, h] = [d / 2, gap / 2];
    return 2 * (h * Math.sqrt(r * r - h * h) + r * r * Math.asin(h / r));
  };
  return disc(outer) - disc(inner) - 2 * (strip(outer) - strip(inner));
}
/** Two bands of width 1 that meet at a right angle with round ends share, beside the disc at the corner, nothing but a quarter of the square less the disc's quarter. */
function overlapAtCorner(): number {
  return 0.25 - disc(1) / 4;
}
/** A pen of radius 1 along the upper half of a circle of radius 0.5 covers all within 1.5 above the axis, and below it the lower halves of the discs at both ends. */
function lensBelow(): number {
  // Two unit discs whose middles are 1 apart share a lens; half of their union.
  const lens = 2 * Math.acos(0.5) - 0.5 * Math.sqrt(3);
  return Math.PI - lens / 2;
}

describe('closed forms', () => {
  test.each(forms)('%s', async (_, text, area) => {
    expect(Math.abs((await areaOf(text)) - area)).toBeLessThan(2e-6 * Math.max(1, area));
  });
  test('an independent reader says so too', () => {
    const known = forms.filter((f) => f[3]);
    elsewhere(known.map((f) => f[1])).forEach((r, i) => {
      expect([known[i][0], r.error, Math.abs(r.area - known[i][2]) < 3e-6 * Math.max(1, known[i][2])]).toEqual([known[i][0], undefined, true]);
    });
  });
});

describe('macros', () => {
  test.each([
    ['1+2x3', 7],
    ['(1+2)x3', 9],
    ['-2x-3', 6],
    ['$1/$2-1', 2],
    ['$9', 0],
    ['1.5X2', 3],
    ['--4', 4],
  ])('%s is %s', (text, value) => expect(valueOf(text, new Map([[1, 6], [2, 2]]))).toBe(value)); // prettier-ignore
  test.each(['1+', '(1', '1)', '1/0', 'a', '', '('.repeat(100)])('"%s" is refused in a sentence', (text) => {
    expect(() => valueOf(text, new Map())).toThrow(/aperture macro/);
  });
  test.each([
    [['9,1,2'], /primitive 9 is unknown/],
    [['1,1'], /lacks figures/],
    [['4,1,3,0,0,1,0,0,1,1,1,0'], /not closed/],
    [['4,1,9999,0,0,0,0'], /3 to 5000 corners/],
    [['5,1,2,0,0,1,0'], /3 to 100 corners/],
  ])('%s is refused', (lines, why) => expect(() => areasOfMacro(lines, [])).toThrow(why));
});

describe('what is no Gerber', () => {
  test.each([
    ['no unit', '%FSLAX46Y46*%\nM02*', /states no unit/],
    ['places before the format', '%MOMM*%\n%ADD10C,1*%\nD10*\nX0Y0D03*\nM02*', /before the format/],
    ['an aperture that is not defined', `${head}D11*\nM02*`, /D11 is not defined/],
    ['an aperture that is nothing', `${head}%ADD10Q,1*%\nM02*`, /"Q" is unknown/],
    ['a size below 0', `${head}%ADD10C,-1*%\nM02*`, /below 0/],
    ['a number below 10', `${head}%ADD9C,1*%\nM02*`, /begin at 10/],
    ['an arc before G75', '%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,1*%\nD10*\nG02*\nX1Y1I1J0D01*\nM02*', /before G75/],
    ['a flash in a region', `${head}%ADD10C,1*%\nD10*\nG36*\nX0Y0D03*\nG37*\nM02*`, /within a region/],
    ['a drawing before an aperture', `${head}G01*\nX0Y0D01*\nM02*`, /before an aperture/],
    ['steps from place to place', '%FSLIX46Y46*%\n%MOMM*%\nM02*', /steps from place to place/],
    ['a command without an end', `${head}%LPD*`, /has no end/],
    ['a word that is nothing', `${head}X1Q2*\nM02*`, /nothing that can be drawn/],
    ['a negative image', `${head}%IPNEG*%\nM02*`, /would change the image/],
    ['a repeat of a billion', `${head}%ADD10C,1*%\nD10*\n%SRX99999Y99999I1J1*%\nX0Y0D03*\n%SR*%\nM02*`, /more than 3,000,000 things/],
  ])('%s', (_, text, why) => {
    expect(() => readGerber(bytes(text))).toThrow(why);
    expect(() => readGerber(bytes(text))).toThrow(Unusable);
  });
  test('a repeat of nothing ends at once; scales and sizes beyond any board are refused, at their limits taken', () => {
    expect(readGerber(bytes(`${head}%SRX999999Y999999I1J1*%\n%SR*%\nM02*`)).objects).toEqual([]);
    const with_ = (scale: string, size: string) => () => readGerber(bytes(`${head}%ADD10C,${size}*%\nD10*\n%LS${scale}*%\nX0Y0D03*\nM02*`));
    expect(with_('1000', '100000')).not.toThrow();
    expect(with_('1000.1', '1')).toThrow(/at most 1000/);
    expect(with_('1', '100000.1')).toThrow(/more than 100,000/);
  });
  test('a file that is cut off, and a region that is open, are stops', () => {
    expect(readGerber(bytes(head)).findings.map((f) => [f.severity, f.message])).toEqual([['stop', expect.stringContaining('cut off')]]);
    expect(readGerber(bytes(`${head}G36*\nG01*\nX0Y0D02*\nX1Y1D01*\nM02*`)).findings.map((f) => f.severity)).toEqual(['stop']);
  });
});

describe('the writer', () => {
  const one = (tracks: Track[]) => {
    const g = new GerberWriter([]);
    g.stroke(g.circle(0.1), tracks);
    return readGerber(g.bytes());
  };
  const arc = (centre: P2, radius: number, start: number, sweep: number): ArcSegment => ({ kind: 'arc', centre, radius, start, sweep });
  test('20,000 random arcs: ends on one circle within two millionths, none taken for a full circle or for the other part', () => {
    const r = random(7);
    let worst = 0;
    for (let k = 0; k < 20_000; k++) {
      const a = arc([r() * 400 - 200, r() * 400 - 200], 10 ** (r() * 5 - 2), r() * 7, (r() * 2 - 1) * 2 * Math.PI * 10 ** -(r() * 6));
      const { objects, worstArc } = one([a]);
      worst = Math.max(worst, worstArc);
      const long = objects.reduce((n, o) => n + (o.kind === 'stroke' && o.track.kind === 'arc' ? Math.abs(o.track.sweep) * o.track.radius : o.kind === 'stroke' ? distance(startOf(o.track), endOf(o.track)) : 0), 0); // prettier-ignore
      expect(Math.abs(long - Math.abs(a.sweep) * a.radius)).toBeLessThan(5e-6 + 1e-4 * Math.abs(a.sweep) * a.radius * (a.radius < 0.1 ? 1 : 0.02));
    }
    expect(worst).toBeLessThan(2e-6);
  });
  test('an arc shorter than the grid is nothing; a full circle is two halves; a chain that closes comes back closed', () => {
    expect(one([arc([0, 0], 1, 0, 1e-8)]).objects).toEqual([]);
    expect(one([arc([5, 5], 1, 0.3, 2 * Math.PI)]).objects).toHaveLength(2);
    const ring: Track[] = [arc([0, 0], 1, 0.1, 2), { kind: 'line', a: [Math.cos(2.1), Math.sin(2.1)], b: [Math.cos(0.1), Math.sin(0.1)] }];
    const back = one(ring).objects.map((o) => (o.kind === 'stroke' ? o.track : null)!);
    expect(distance(endOf(back[back.length - 1]), startOf(back[0]))).toBeLessThan(1e-6);
  });
  test('attributes keep their words; places beyond the format are refused', () => {
    const g = new GerberWriter([['.Part', 'a*b,c%d']]);
    expect(readGerber(g.bytes()).attributes.get('.Part')).toEqual(['a*b,c%d']);
    expect(() => one([{ kind: 'line', a: [0, 0], b: [9999, 0] }])).not.toThrow();
    expect(() => one([{ kind: 'line', a: [0, 0], b: [9999.1, 0] }])).toThrow(/beyond the 9999 mm/);
  });
});

describe('drill files', () => {
  const spots = (text: string) => readDrill(bytes(text)).tools.flatMap((t) => t.holes.map((h) => [Number(t.diameter.toFixed(6)), ...h.map((v) => Number(v.toFixed(6)))])); // prettier-ignore
  test.each([
    ['metric with points', 'M48\nMETRIC\nT1C0.8\n%\nT1\nX1.5Y-2.25\nM30\n', [[0.8, 1.5, -2.25]]],
    ['leading zeros kept', 'M48\nMETRIC,LZ\nT1C0.8\n%\nT01\nX0015Y002\nM30\n', [[0.8, 1.5, 2]]],
    ['trailing zeros kept', 'M48\nMETRIC,TZ\nT1C0.8\n%\nT1\nX1500Y-2250\nM30\n', [[0.8, 1.5, -2.25]]],
    ['a format of its own', 'M48\nMETRIC,TZ,0000.00\nT1C0.8\n%\nT1\nX150Y225\nM30\n', [[0.8, 1.5, 2.25]]],
    ['inches', 'M48\nINCH,TZ\nT1C0.1\n%\nT1\nX010000Y5000\nM30\n', [[2.54, 25.4, 12.7]]],
    ['a place that keeps one of its figures; tools by turns', 'M48\nMETRIC\nT1C1\nT2C2\n%\nT1\nX1.0Y1.0\nT2\nY3.0\nT1\nX4.0\nM30\n', [[1, 1, 1], [1, 4, 3], [2, 1, 3]]], // prettier-ignore
  ])('%s', (_, text, want) => expect(spots(text)).toEqual(want));
  test('slots by G85 and routed, arcs by radius and by their middle', () => {
    const { tools } = readDrill(
      bytes(
        'M48\nMETRIC\nT1C1\n%\nT1\nX0.0Y0.0G85X3.0Y4.0\nG00X0.0Y0.0\nM15\nG01X5.0Y0.0\nG03X0.0Y5.0A5.0\nM16\nG00X5.0Y0.0\nM15\nG02X-5.0Y0.0I-5.0J0.0\nM16\nM30\n',
      ),
    );
    const long = (t: Track) => (t.kind === 'arc' ? Math.abs(t.sweep) * t.radius : distance(t.a, t.b));
    expect(tools[0].slots.map((s) => s.reduce((n, t) => n + long(t), 0).toFixed(6))).toEqual([
      '5.000000',
      (5 + (Math.PI / 2) * 5).toFixed(6),
      (5 * Math.PI).toFixed(6),
    ]);
  });
  test('written, read again: holes and paths exact, use and plating kept', () => {
    const path: Track[] = [{ kind: 'line', a: [0, 0], b: [10, 0] }, { kind: 'arc', centre: [10, 5], radius: 5, start: -Math.PI / 2, sweep: 3 }]; // prettier-ignore
    const text = drillFile(
      [['.FileFunction', 'Plated', '1', '2', 'PTH']],
      [{ diameter: 0.8, use: ['Plated', 'PTH'], holes: [[1.2345678, -3]], slots: [path] }],
    );
    const back = readDrill(text);
    expect([back.unit, back.plated, back.findings]).toEqual(['mm', true, []]);
    expect([back.tools[0].diameter, back.tools[0].holes, back.tools[0].use]).toEqual([0.8, [[1.234568, -3]], ['Plated', 'PTH']]);
    const [slot] = back.tools[0].slots;
    expect(distance(endOf(slot[slot.length - 1]), endOf(path[1]))).toBeLessThan(1e-6);
    for (const t of slot.slice(1)) expect(t.kind === 'arc' ? distance(t.centre, [10, 5]) : 9).toBeLessThan(2e-5);
  });
  test.each([
    ['a tool before the unit', 'M48\nT1C1\nM30\n', /before the unit/],
    ['a hole without a tool', 'M48\nMETRIC\nT1C1\n%\nX1.0Y1.0\nM30\n', /before a tool was chosen/],
    ['a tool that is not there', 'M48\nMETRIC\nT1C1\n%\nT2\nM30\n', /tool 2 is not defined/],
    ['steps from hole to hole', 'M48\nMETRIC\nICI,ON\nT1C1\n%\nM30\n', /steps from hole to hole/],
    ['a pattern', 'M48\nMETRIC\nT1C1\n%\nT1\nX1.0Y1.0\nR3X1.0\nM30\n', /by a pattern/],
    ['a line that is nothing', 'M48\nMETRIC\nT1C1\n%\nT1\nHELLO\nM30\n', /nothing that can be drilled/],
  ])('%s is refused with its line', (_, text, why) => expect(() => readDrill(bytes(text))).toThrow(why));
  test('places that may be meant otherwise, and an end that is missing, are stops', () => {
    const stops = (text: string) => readDrill(bytes(text)).findings.filter((f) => f.severity === 'stop').map((f) => f.message); // prettier-ignore
    expect(stops('M48\nMETRIC\nT1C1\n%\nT1\nX1000Y1000\nM30\n')).toEqual([expect.stringContaining('may be meant otherwise')]);
    expect(stops('M48\nMETRIC\nT1C1\n%\nT1\nX1.0Y1.0\n')).toEqual([expect.stringContaining('cut off')]);
    expect(stops('M48\n%\nM30\n')).toEqual([expect.stringContaining('states no unit')]);
  });
});

test('mutated files end with a result or a sentence, and in time', () => {
  const r = random(11);
  const gerbers = forms.map((f) => bytes(f[1]));
  const drills = ['M48\nMETRIC,LZ\nT1C0.8\nT2C1\n%\nT01\nX0015Y002\nX1.0Y2.0G85X3.0Y3.0\nT2\nG00X1.0Y1.0\nM15\nG03X2.0Y2.0A1.0\nM16\nM30\n'].map(bytes);
  const times = Number(process.env.GERBER_FUZZ ?? 2000);
  const mutated = (of: Uint8Array): Uint8Array => {
    const out = [...of];
    for (let n = 1 + Math.floor(r() * 4); n > 0; n--) {
      const at = Math.floor(r() * out.length);
      const kind = r();
      if (kind < 0.4) out[at] = 32 + Math.floor(r() * 95);
      else if (kind < 0.6) out.splice(at, 1 + Math.floor(r() * 6));
      else if (kind < 0.8) out.splice(at, 0, ...out.slice(Math.floor(r() * out.length), Math.floor(r() * out.length) + 12));
      else out.splice(at, 0, 48 + Math.floor(r() * 10), 48 + Math.floor(r() * 10));
    }
    return Uint8Array.from(out);
  };
  for (const [set, read] of [[gerbers, readGerber], [drills, readDrill]] as const) {
    for (let k = 0; k < times; k++) {
      const bad = mutated(set[k % set.length]);
      const begun = performance.now();
      try {
        read(bad);
      } catch (thrown) {
        if (!(thrown instanceof Unusable)) throw new Error(`${new TextDecoder().decode(bad)}: ${(thrown as Error).stack}`);
      }
      expect(performance.now() - begun).toBeLessThan(5000);
    }
  } // prettier-ignore
}, 600_000);
