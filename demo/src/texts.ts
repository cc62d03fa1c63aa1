import { cmyk, PDFDocument, PDFName, rgb } from 'pdf-lib';
import { textFile } from 'tall-kite/formats/text/file';
import { usualText } from 'tall-kite/text/choice';
import type { DemoFile } from './designs.ts';
import { sailMarkPng } from './pictures.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

/** Name plate of the wind station: two lines on a plate with two holes. */
const namePlate = textFile({
  choice: {
    ...usualText,
    words: 'WIND STATION 4\nKite field north',
    font: 'slab',
    axes: { wght: 600 },
    size: { by: 'width', mm: 74 },
    plate: { width: 100, height: 36, radius: 5, holes: 2, diameter: 4.2, inset: 6 },
  },
});

/** Tags for the guy ropes, one a row of a list. */
const tags = textFile({
  choice: {
    ...usualText,
    words: '{Rope}\n{Length} m',
    font: 'line',
    size: { by: 'cap', mm: 6 },
    plate: { width: 46, height: 28, radius: 6, holes: 1, diameter: 5, inset: 7 },
  },
  series: {
    columns: ['Rope', 'Length'],
    rows: [
      ['G-01', '12.5'],
      ['G-02', '12.5'],
      ['G-03', '18'],
      ['G-04', '18'],
    ],
  },
});

/** A ruler of 150 mm as a drawing program writes it: marks as lines, figures as writing. */
function ruler(): string {
  const marks: string[] = [];
  const figures: string[] = [];
  for (let mm = 0; mm <= 150; mm++) {
    const long = mm % 10 === 0 ? 9 : mm % 5 === 0 ? 6.5 : 4;
    marks.push(`<line x1="${mm + 5}" y1="30" x2="${mm + 5}" y2="${30 - long}"/>`);
    if (mm % 10 === 0) figures.push(`<text x="${mm + 5}" y="18.5" text-anchor="middle" font-size="4.6">${mm / 10}</text>`);
  }
  return `<svg xmlns="http://www.w3.org/2000/svg" width="160mm" height="30mm" viewBox="0 0 160 30">
  <g id="cut" fill="none" stroke="#ff0000" stroke-width="0.1"><rect width="160" height="30" rx="2"/></g>
  <g id="engrave" fill="none" stroke="#0000ff" stroke-width="0.1">${marks.join('')}</g>
  <g id="figures" font-family="Helvetica">${figures.join('')}<text x="8" y="10" font-size="5">Kite field workshop, cm</text></g>
</svg>`;
}

/** A crew badge as artwork of a print shop: a named ink, and a picture frame that clips. */
async function badge(): Promise<Uint8Array> {
  const document = await PDFDocument.create();
  document.setProducer('Tall Kite demo');
  document.setCreationDate(new Date('2026-01-01T00:00:00Z'));
  document.setModificationDate(new Date('2026-01-01T00:00:00Z'));
  const page = document.addPage([170, 170]);
  const tint = document.context.obj({ FunctionType: 2, Domain: [0, 1], C0: [0, 0, 0, 0], C1: [0, 0.85, 0.9, 0], N: 1 });
  const spot = document.context.obj([PDFName.of('Separation'), PDFName.of('Sail Red'), PDFName.of('DeviceCMYK'), tint]);
  const resources = page.node.Resources()!;
  resources.set(PDFName.of('ColorSpace'), document.context.obj({ Sail: spot }));
  page.drawEllipse({ x: 85, y: 85, xScale: 79.37, yScale: 79.37, borderWidth: 1, borderColor: rgb(1, 0, 0) });
  page.drawEllipse({ x: 85, y: 85, xScale: 70, yScale: 70, borderWidth: 0.5, borderColor: cmyk(1, 0.6, 0, 0) });
  // A sail in the named ink, cut off below by a frame.
  const sail = document.context.stream('q 0 46 170 124 re W n /Sail cs 1 scn 85 148 m 128 92 l 85 24 l 42 92 l h f Q');
  page.node.addContentStream(document.context.register(sail));
  return document.save({ useObjectStreams: false });
}

/** A page of a print shop with a frame and a picture in it: the sail mark, 40 mm wide. */
async function winchLabel(): Promise<Uint8Array> {
  const document = await PDFDocument.create();
  document.setProducer('Tall Kite demo');
  document.setCreationDate(new Date('2026-01-01T00:00:00Z'));
  document.setModificationDate(new Date('2026-01-01T00:00:00Z'));
  const mm = 72 / 25.4;
  const page = document.addPage([70 * mm, 60 * mm]);
  page.drawRectangle({ x: 5 * mm, y: 5 * mm, width: 60 * mm, height: 50 * mm, borderWidth: 0.3, borderColor: rgb(1, 0, 0) });
  page.drawCircle({ x: 10 * mm, y: 30 * mm, size: 2 * mm, borderWidth: 0.3, borderColor: rgb(1, 0, 0) });
  page.drawImage(await document.embedPng(await sailMarkPng()), { x: 17 * mm, y: 10 * mm, width: 40 * mm, height: 40 * mm });
  return document.save({ useObjectStreams: false });
}

/** Words, figures and artwork: plates, tags, a ruler, a badge and a label. */
export async function demoTexts(): Promise<DemoFile[]> {
  return [
    { name: 'Station name plate.lettering', bytes: bytes(namePlate) },
    { name: 'Rope tags.lettering', bytes: bytes(tags) },
    { name: 'workshop-ruler.svg', bytes: bytes(ruler()) },
    { name: 'crew-badge-artwork.pdf', bytes: await badge() },
    { name: 'winch-label.pdf', bytes: await winchLabel() },
  ];
}
