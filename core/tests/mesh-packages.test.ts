/**
 * AMF and 3MF tag by tag: what each says, what is not taken, and the limits of what is walked. Files by hand around a tetrahedron of known volume.
 * Sources: ISO/ASTM 52915:2020 (elements from memory); 3MF Core Specification 1.3 and its Materials and Production Extensions.
 */
import { zipSync } from 'fflate';
import { describe, expect, test } from 'vitest';
import { readAmf } from '../src/formats/amf/read.ts';
import { readThreeMf } from '../src/formats/threemf/read.ts';
import { measureMesh } from '../src/geometry/mesh.ts';
import { placedMesh } from '../src/processes/receive.ts';
import { code } from './thrown.ts';

const bytes = (s: string) => new TextEncoder().encode(s);
const corners = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]]; // prettier-ignore
const faces = [[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]]; // prettier-ignore
const codes = (file: { findings: { code: string }[] }) => file.findings.map((f) => f.code);
/** Copies of something one inside another. */
const times = (n: number, s: (i: number) => string) => Array.from({ length: n }, (_, i) => s(i)).join('');

describe('AMF, tag by tag', () => {
  const vertices = corners.map(([x, y, z]) => `<vertex><coordinates><x>${x}</x><y>${y}</y><z>${z}</z></coordinates></vertex>`).join('');
  const volume = (inner = '', attributes = '') =>
    `<volume${attributes}>${inner}${faces.map(([a, b, c]) => `<triangle><v1>${a}</v1><v2>${b}</v2><v3>${c}</v3></triangle>`).join('')}</volume>`;
  const object = (id: string, inner = volume(), head = '') => `<object id="${id}">${head}<mesh><vertices>${vertices}</vertices>${inner}</mesh></object>`;
  const read = (inner: string, unit = ' unit="millimeter"') => readAmf(bytes(`<?xml version="1.0"?><amf${unit}>${inner}</amf>`));
  const colour = (r: number, g: number, b: number) => `<color><r>${r}</r><g>${g}</g><b>${b}</b></color>`;

  test.each([
    ['', 1, 'mm'],
    [' unit="millimeter"', 1, 'mm'],
    [' unit="Inch"', 25.4, 'in'],
    [' unit="foot"', 304.8, 'ft'],
    [' unit="meter"', 1000, 'm'],
    [' unit="micron"', 0.001, 'micron'],
    [' unit="micrometer"', 0.001, 'micron'],
  ])('%s is %f mm', (unit, mm, name) => {
    const file = read(object('1'), unit);
    expect(file.unit).toBe(name);
    expect(measureMesh(file.parts[0].mesh).volume / mm ** 3).toBeCloseTo(1 / 6, 9);
  });
  test('a colour is its volume’s before its material’s, and its material’s before its object’s', () => {
    const of = (inner: string, head = '', attributes = '') =>
      read(`<material id="7">${colour(0, 1, 0)}</material>${object('1', volume(inner, attributes), head)}`).parts[0].colour;
    expect(of('')).toBeNull();
    expect(of('', colour(0, 0, 1))).toBe('#0000ff');
    expect(of('', colour(0, 0, 1), ' materialid="7"')).toBe('#00ff00');
    expect(of(colour(1, 0, 0), colour(0, 0, 1), ' materialid="7"')).toBe('#ff0000');
    // A material that nobody described has no colour.
    expect(of('', '', ' materialid="8"')).toBeNull();
  });
  test('a colour that is no colour is none; two of an object are told and neither is taken', () => {
    const two = read(object('1', volume(), colour(1, 0, 0) + colour(0, 1, 0)));
    expect([two.parts[0].colour, codes(two)]).toEqual([null, ['colours-lost']]);
    const bad = read(object('1', volume('<color><r>red</r><g>0</g><b>0</b></color>')));
    expect([bad.parts[0].colour, codes(bad)]).toEqual([null, []]);
    // The same said twice is one.
    expect(codes(read(object('1', volume(), colour(1, 0, 0) + colour(1, 0, 0))))).toEqual([]);
  });
  test('only an object’s own metadata of type name names it', () => {
    const named = (head: string) => read(object('1', volume(), head)).parts[0].name;
    expect(named('<metadata type="name"> Rotor hub </metadata>')).toBe('Rotor hub');
    expect(named('<metadata type="name"></metadata>')).toBeNull();
    expect(named('<metadata type="description">Turns</metadata>')).toBeNull();
    expect(read(`<metadata type="name">The file</metadata>${object('1')}`).parts[0].name).toBeNull();
    expect(read(object('4', volume() + volume())).parts.map((p) => p.name)).toEqual(['Object 4 1', 'Object 4 2']);
  });
  test('what bends, grades or dresses triangles is counted, and the flat triangles are taken', () => {
    const file = read(
      `${object('1').replace('</coordinates>', '</coordinates><normal/>').replace('</vertices>', '<edge/><edge/></vertices>')}<texture/><composite/>`,
    );
    expect(codes(file)).toEqual(['left-out']);
    expect(file.findings[0].count).toBe(5);
    expect(file.findings[0].message).toMatch(/1 normals of curved triangles, 2 curved edges, 1 textures, 1 graded materials/);
    expect(file.parts[0].mesh.triangles.length / 3).toBe(4);
  });
  test('tags whose names are words of the language mean nothing', () => {
    expect(codes(read(`<constructor/><toString>5</toString><hasOwnProperty/>${object('1')}<__proto__ id="1"/>`))).toEqual([]);
  });
  test('triangles of corners that are not there, or between them, are left out and counted', () => {
    for (const wrong of ['4', '-1', '1.5', '', 'a']) {
      const file = read(object('1', volume().replace('<v1>0</v1>', `<v1>${wrong}</v1>`)));
      expect([wrong, file.parts[0].mesh.triangles.length / 3, codes(file)]).toEqual([wrong, 3, ['bad-faces']]);
    }
    expect(code(() => read(object('1', volume().replace('<v1>0</v1>', '<v1>0,5</v1>'))))).toBe('decimal-comma');
  });
  test('a file of nothing says so; what is placed and not there is counted', () => {
    expect(codes(read(''))).toEqual(['no-triangles']);
    expect(codes(read(object('1', '<volume/>')))).toEqual(['no-triangles']);
    const lost = read(`${object('1')}<constellation id="2"><instance objectid="1"/><instance objectid="5"/></constellation>`);
    expect([lost.parts.length, codes(lost)]).toEqual([1, ['bad-faces']]);
  });
  test('constellations in constellations: turns about X, then Y, then Z, then the shift, the inner one first', () => {
    const inner = '<constellation id="2"><instance objectid="1"><rx>90</rx><deltaz>5</deltaz></instance></constellation>';
    const outer = '<constellation id="3"><instance objectid="2"><deltax>10</deltax><rz>180</rz></instance></constellation>';
    const [part] = read(`${object('1')}${inner}${outer}`).parts;
    expect(part.places).toHaveLength(1);
    // (x, y, z) goes to (x, -z, y + 5), then to (10 - x, z, y + 5).
    const { box } = measureMesh(placedMesh(part.mesh, part.places[0]));
    [9, 0, 5].forEach((v, k) => expect(box.min[k]).toBeCloseTo(v, 12));
    [10, 1, 6].forEach((v, k) => expect(box.max[k]).toBeCloseTo(v, 12));
  });
  test('a shift is in the unit of the file', () => {
    const [part] = read(`${object('1')}<constellation id="2"><instance objectid="1"><deltay>2</deltay></instance></constellation>`, ' unit="inch"').parts;
    expect(part.places[0][7]).toBeCloseTo(50.8, 12);
  });
  test('32 constellations one in another are walked, 33 are not', () => {
    const nested = (n: number) =>
      `${object('o')}${times(n, (i) => `<constellation id="c${i}"><instance objectid="${i === 0 ? 'o' : `c${i - 1}`}"/></constellation>`)}`;
    expect(read(nested(32)).parts[0].places).toHaveLength(1);
    expect(() => read(nested(33))).toThrow(/nested too deep/);
  });
  test('20,000 places are taken, one more is not', () => {
    const placed = (n: number) => `${object('o')}<constellation id="c">${times(n, () => '<instance objectid="o"/>')}</constellation>`;
    // The constellation counts as one of them.
    expect(read(placed(19_999)).parts[0].places).toHaveLength(19_999);
    expect(() => read(placed(20_000))).toThrow(/more than 20,000 parts/);
  });
  test('constellations that hold each other end in a sentence', () => {
    const two = '<constellation id="a"><instance objectid="b"/></constellation><constellation id="b"><instance objectid="a"/></constellation>';
    // Neither is a beginning: nothing is placed but the object that nobody names.
    expect(read(`${object('1')}${two}`).parts).toHaveLength(1);
    expect(() => read(`${object('1')}${two}<constellation id="c"><instance objectid="a"/></constellation>`)).toThrow(/nested too deep/);
  });
});

describe('3MF, tag by tag', () => {
  const core = 'http://schemas.microsoft.com/3dmanufacturing/core/2015/02';
  const mesh = (attributes = (_: number) => '') =>
    `<mesh><vertices>${corners.map(([x, y, z]) => `<vertex x="${x}" y="${y}" z="${z}"/>`).join('')}</vertices><triangles>${faces.map(([a, b, c], i) => `<triangle v1="${a}" v2="${b}" v3="${c}"${attributes(i)}/>`).join('')}</triangles></mesh>`;
  const object = (id: number | string, inner = mesh(), attributes = '') => `<object id="${id}"${attributes}>${inner}</object>`;
  const item = (id: number | string, attributes = '') => `<item objectid="${id}"${attributes}/>`;
  const model = (resources: string, build: string, attributes = '') =>
    `<?xml version="1.0"?><model xmlns="${core}"${attributes}><resources>${resources}</resources><build>${build}</build></model>`;
  const pack = (files: Record<string, string>) => zipSync(Object.fromEntries(Object.entries(files).map(([name, text]) => [name, bytes(text)])), { level: 1 });
  const read = (resources: string, build: string, attributes = '') => readThreeMf(pack({ '3D/3dmodel.model': model(resources, build, attributes) }));

  test.each([
    ['', 1, 'mm'],
    ['micron', 0.001, 'micron'],
    ['centimeter', 10, 'cm'],
    ['inch', 25.4, 'in'],
    ['foot', 304.8, 'ft'],
    ['meter', 1000, 'm'],
  ])('unit "%s" is %f mm, shifts too', (unit, mm, name) => {
    const file = read(object(1), item(1, ' transform="1 0 0 0 1 0 0 0 1 3 0 0"'), unit ? ` unit="${unit}"` : '');
    expect(file.unit).toBe(name);
    expect(measureMesh(file.parts[0].mesh).volume / mm ** 3).toBeCloseTo(1 / 6, 9);
    expect(file.parts[0].places[0][3] / mm).toBeCloseTo(3, 12);
  });
  test.each([
    ['model', true],
    ['solidsupport', true],
    ['surface', true],
    ['support', false],
    ['other', false],
  ])('an object of type "%s" is made: %s', (type, made) => {
    const file = read(object(1) + object(2, mesh(), ` type="${type}"`), item(1) + item(2));
    expect(file.parts.length).toBe(made ? 2 : 1);
    expect(codes(file)).toEqual(made ? [] : ['left-out']);
    if (!made) expect(file.findings[0].message).toContain(`1 "${type}" objects`);
  });
  test('colours: an object’s own, its triangles’, two of them told', () => {
    const group =
      '<basematerials id="5"><base name="r" displaycolor="#FF0000"/><base name="g" displaycolor="#00ff00FF"/></basematerials><colorgroup id="6"><color color="#0000FF80"/></colorgroup>';
    const of = (o: string) => {
      const file = read(group + o, item(1));
      return [file.parts[0].colour, codes(file)];
    };
    expect(of(object(1))).toEqual([null, []]);
    expect(of(object(1, mesh(), ' pid="5" pindex="1"'))).toEqual(['#00ff00', []]);
    expect(of(object(1, mesh(), ' pid="6"'))).toEqual(['#0000ff', []]);
    expect(
      of(
        object(
          1,
          mesh(() => ' pid="5" p1="1"'),
        ),
      ),
    ).toEqual(['#00ff00', []]);
    expect(
      of(
        object(
          1,
          mesh((i) => ` pid="5" p1="${i % 2}"`),
        ),
      ),
    ).toEqual(['#ff0000', ['colours-lost']]);
    // Three corners of one triangle that differ are two colours as well.
    expect(
      of(
        object(
          1,
          mesh(() => ' pid="5" p1="0" p2="1" p3="0"'),
        ),
      )[1],
    ).toEqual(['colours-lost']);
    // A number that no group has, and a colour that is none.
    expect(of(object(1, mesh(), ' pid="9"'))).toEqual([null, []]);
    expect(of(object(1, mesh(), ' pid="5" pindex="7"'))).toEqual([null, []]);
  });
  test('an extension is asked after only where the file needs it', () => {
    const spaces = ' xmlns:m="http://schemas.microsoft.com/3dmanufacturing/material/2015/02" xmlns:q="http://example.org/quilt/1"';
    expect(codes(read(object(1), item(1), `${spaces}`))).toEqual([]);
    expect(codes(read(object(1), item(1), `${spaces} requiredextensions="m"`))).toEqual([]);
    const file = read(object(1), item(1), `${spaces} requiredextensions="m q"`);
    expect(codes(file)).toEqual(['unknown-extension']);
    expect(file.findings[0]).toMatchObject({ severity: 'stop', message: expect.stringContaining('http://example.org/quilt/1') });
  });
  test('beams and balls of a lattice are counted, and not made', () => {
    const file = read(
      object(
        1,
        mesh().replace(
          '</mesh>',
          '<beamlattice><beams><beam v1="0" v2="1"/><beam v1="1" v2="2"/></beams><balls><ball vindex="0"/></balls></beamlattice></mesh>',
        ),
      ),
      item(1),
    );
    expect(codes(file)).toEqual(['left-out']);
    expect(file.findings[0].message).toMatch(/2 beams of a lattice, 1 balls of a lattice/);
  });
  test('parts in further models of the package, named by their path', () => {
    const other = model(object(1, mesh(), ' name="Vane"'), '');
    const root = (path: string) =>
      model(
        `<object id="2" name="Pair"><components><component p:path="${path}" objectid="1"/></components></object>`,
        item(2),
        ' xmlns:p="http://schemas.microsoft.com/3dmanufacturing/production/2015/06"',
      );
    const file = readThreeMf(pack({ '3D/3dmodel.model': root('/3D/vane.model'), '3D/vane.model': other }));
    expect(file.parts.map((p) => [p.name, p.above])).toEqual([['Vane', ['Pair']]]);
    expect(() => readThreeMf(pack({ '3D/3dmodel.model': root('/3D/none.model'), '3D/vane.model': other }))).toThrow(
      /"\/3D\/none.model" is named in it but not there/,
    );
  });
  test('the package begins where its relationships say, else at its only model', () => {
    const relations =
      '<Relationships xmlns="x"><Relationship Target="/3D/second.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>';
    const files = {
      '3D/first.model': model(object(1, mesh(), ' name="First"'), item(1)),
      '3D/second.model': model(object(1, mesh(), ' name="Second"'), item(1)),
    };
    expect(readThreeMf(pack({ ...files, '_rels/.rels': relations })).parts[0].name).toBe('Second');
    expect(readThreeMf(pack({ '3D/first.model': files['3D/first.model'] })).parts[0].name).toBe('First');
    expect(() => readThreeMf(pack({ '_rels/.rels': relations }))).toThrow(/not there/);
  });
  test('one mesh under several names keeps them all, each with its place', () => {
    const group = (id: number, name: string) => `<object id="${id}" name="${name}"><components><component objectid="1"/></components></object>`;
    const file = read(object(1, mesh(), ' name="Pin" partnumber="P-1"') + group(2, 'Left') + group(3, 'Right'), item(2) + item(3));
    expect(file.parts).toHaveLength(1);
    expect(file.parts[0]).toMatchObject({ partNumber: 'P-1', aboveEach: [['Left'], ['Right']] });
    expect(file.parts[0].places).toHaveLength(2);
    // The number of the item that places a mesh itself comes first.
    expect(read(object(1, mesh(), ' partnumber="P-1"'), item(1, ' partnumber="I-9"')).parts[0].partNumber).toBe('I-9');
  });
  test('what is placed and not there is told by number, and how often', () => {
    const file = read(object(1), item(1) + item(7) + item(7) + item(8));
    expect(codes(file)).toEqual(['missing-object', 'missing-object']);
    expect(file.findings.map((f) => f.count)).toEqual([2, 1]);
    expect(file.findings[0].message).toMatch(/number 7 is placed 2 times but not there/);
    expect(file.findings[1].message).toMatch(/number 8 is placed but not there/);
  });
  test('nothing to build is a stop; what nobody places is a look', () => {
    expect(codes(read('', ''))).toEqual(['no-triangles']);
    const file = read(object(1) + object(2), item(1));
    expect(file.findings.map((f) => [f.code, f.severity, f.count])).toEqual([['not-placed', 'look', 1]]);
  });
  test('32 levels of components are walked, 33 are not', () => {
    const nested = (n: number) => object(0) + times(n, (i) => `<object id="${i + 1}"><components><component objectid="${i}"/></components></object>`);
    expect(read(nested(32), item(32)).parts[0].places).toHaveLength(1);
    expect(code(() => read(nested(33), item(33)))).toBe('too-deep');
  });
  test('20,000 places are taken, one more is not; and doubling levels are counted before they are walked, which would take days', () => {
    const placed = (n: number) =>
      read(
        object(1),
        times(n, () => item(1)),
      );
    expect(placed(20_000).parts[0].places).toHaveLength(20_000);
    expect(code(() => placed(20_001))).toBe('too-many-parts');
    // Thirty levels that each show the next one twice would place a thousand million.
    const doubled = object(0) + times(30, (i) => `<object id="${i + 1}"><components>${`<component objectid="${i}"/>`.repeat(2)}</components></object>`);
    expect(code(() => read(doubled, item(30)))).toBe('too-many-parts');
  });
  test('branches that place nothing are not walked, however many there are', () => {
    const empty =
      object(0, '<components/>') + times(30, (i) => `<object id="${i + 1}"><components>${`<component objectid="${i}"/>`.repeat(2)}</components></object>`);
    expect(read(empty + object('x'), item(30) + item('x')).parts).toHaveLength(1);
  });
});
