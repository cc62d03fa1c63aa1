/** What a file says about a shape besides the shape: colours of single faces, pictures of triangles, endless surfaces, hidden shapes. None of it is lost untold. */
import { describe, expect, test } from 'vitest';
import { joinedBytes } from '../src/base/bytes.ts';
import { colourOfFaces } from '../src/formats/face-colours.ts';
import { openOwnIges } from '../src/formats/iges/open.ts';
import { openOwnStep } from '../src/formats/step/open.ts';
import { stepOfPart } from '../src/formats/step/write.ts';
import { nodeKernels } from '../src/kernel/load.ts';
import { usualChoices } from '../src/model/choices.ts';
import type { OpenedStep } from '../src/model/opened.ts';
import { readDesign } from '../src/pipeline/read.ts';
import { lossesAmong } from '../src/base/loss.ts';
import { dataFile } from './data.ts';
import { IgesText, real } from './iges.data.ts';

const [red, blue, grey] = ['#ff0000', '#0000ff', '#808080'];
const codes = (o: OpenedStep) => o.findings.map((f) => `${f.code} ${f.severity} ${f.count}`);

describe('one colour of a part', () => {
  test.each([
    ['all faces agree', grey, [red, red, red], { colour: red, others: 0 }],
    ['none has one of its own', grey, [null, null], { colour: grey, others: 0 }],
    ['some differ from the part', grey, [red, null, blue], { colour: grey, others: 2 }],
    ['the part has none: what most of them have', null, [red, blue, red, null], { colour: red, others: 2 }],
    ['no colours at all', null, [null, null], { colour: null, others: 0 }],
    ['no faces', grey, [], { colour: grey, others: 0 }],
    ['those without one agree with the rest', red, [null, red], { colour: red, others: 0 }],
  ])('%s', (_, own, faces, found) => {
    expect(colourOfFaces(own, faces)).toEqual(found);
  });
});

/** A cube written with a colour (or none), and with colours for its first faces added to the text. */
function cube(own: string | null, faces: readonly string[]): Uint8Array {
  const { brep } = openOwnStep(dataFile('cube-mm.step'), 1e-5)!.parts[0];
  const text = new TextDecoder().decode(joinedBytes(stepOfPart({ name: 'Cube', colour: own, brep }, 'mm')));
  const ids = [...text.matchAll(/(#\d+)=ADVANCED_FACE/g)].map((m) => m[1]);
  let last = Math.max(...[...text.matchAll(/#(\d+)=/g)].map((m) => Number(m[1])));
  const add = (entity: string) => {
    lines.push(`#${++last}=${entity};`);
    return `#${last}`;
  };
  const lines: string[] = [];
  faces.forEach((colour, i) => {
    const rgb = [1, 3, 5].map((k) => `${parseInt(colour.slice(k, k + 2), 16) / 255}.`.replace(/(\.\d+)\.$/, '$1'));
    const filled = add(`FILL_AREA_STYLE_COLOUR('',${add(`COLOUR_RGB('',${rgb.join(',')})`)})`);
    const side = add(`SURFACE_SIDE_STYLE('',(${add(`SURFACE_STYLE_FILL_AREA(${add(`FILL_AREA_STYLE('',(${filled}))`)})`)}))`);
    add(`STYLED_ITEM('',(${add(`PRESENTATION_STYLE_ASSIGNMENT((${add(`SURFACE_STYLE_USAGE(.BOTH.,${side})`)}))`)}),${ids[i]})`);
  });
  return new TextEncoder().encode(text.replace('ENDSEC;\nEND-ISO', `${lines.join('\n')}\nENDSEC;\nEND-ISO`));
}

describe('STEP', () => {
  test.each([
    [grey, [red, red], grey, ['face-colours clear 2']],
    [grey, Array<string>(6).fill(red), red, []],
    [null, [blue, red, red], red, ['face-colours clear 4']],
    [red, [red, red], red, []],
    [null, [], null, []],
  ])('part %s, faces %s: the part is %s', (own, faces, colour, found) => {
    const opened = openOwnStep(cube(own, faces), 1e-5)!;
    expect(opened.parts[0].colour).toBe(colour);
    expect(codes(opened)).toEqual(found);
  });
  test('it goes with the part, and makes no file doubtful', async () => {
    const [{ summary }] = (await readDesign(cube(grey, [red]), 'cube.step', nodeKernels, usualChoices)).parts;
    expect(summary.lost?.map((f) => [f.code, f.severity])).toEqual([['face-colours', 'clear']]);
    expect(lossesAmong(summary.lost ?? [])).toHaveLength(1);
  });
});

describe('IGES', () => {
  const own = (file: IgesText) => openOwnIges(file.bytes(), usualChoices)!;
  test.each([
    [4, [2, 2], blue, ['face-colours clear 2']],
    [0, [2, 2, 2, 2, 2, 2], red, []],
    [4, [2, 2, 2, 2, 2, 2], red, []],
    [4, [], blue, []],
  ])('a solid of colour %s with faces %s is %s', (solid, faces, colour, found) => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3], { colour: solid }, [], faces);
    const opened = own(file);
    expect(opened.parts[0].colour).toBe(colour);
    expect(codes(opened)).toEqual(found);
  });
  test('loose faces of several colours: what most of them have', () => {
    const file = new IgesText();
    file.block([0, 0, 0], [1, 1, 1], { but: 5, said: { colour: 2 } });
    file.polygon([[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], { colour: 4 }); // prettier-ignore
    const opened = own(file);
    expect(opened.parts[0].colour).toBe(red);
    expect(codes(opened)).toContain('face-colours clear 1');
  });
  test('hidden shapes are taken, and told; a hidden line is only a line', () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3], { status: '01000000' });
    file.solidBlock([5, 0, 0], [1, 2, 3]);
    file.add(110, [0, 0, 0, 5, 5, 5].map(real), { status: '01000000' });
    const opened = own(file);
    expect(opened.parts).toHaveLength(2);
    expect(codes(opened)).toEqual(['curves-left-out look 1', 'hidden-taken look 1']);
  });
  test('planes that nothing bounds are counted; those of faces are not', () => {
    const file = new IgesText();
    file.solidBlock([0, 0, 0], [1, 2, 3]);
    file.block([5, 0, 0], [1, 1, 1]);
    file.plane([0, 0, 1], 4, { status: '00000000' });
    expect(codes(own(file))).toEqual(['sewn look 1', 'endless-left-out look 1']);
  });
});
