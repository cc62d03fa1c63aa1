// Letters and pictures: how long they take beside general-purpose libraries that do a part of the same.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { contours } from 'd3-contour';
import sharp from 'sharp';
import { flattenInto } from '../core/dist/curves/flatten.js';
import { drawingDistance } from '../core/dist/curves/compare.js';
import { unionOf } from '../core/dist/curves/union.js';
import { usualText } from '../core/dist/text/choice.js';
import { setText } from '../core/dist/text/layout.js';
import { lettered } from '../core/dist/text/lettering.js';
import { lettersOf } from '../core/dist/text/letters.js';
import { nodeLetters } from '../core/dist/text/node-files.js';
import { decodePicture } from '../core/dist/formats/picture/decode.js';
import { usualTrace } from '../core/dist/trace/choice.js';
import { counted, otsu } from '../core/dist/trace/levels.js';
import { loopsOf } from '../core/dist/trace/loops.js';
import { brightness } from '../core/dist/trace/picture.js';
import { trace } from '../core/dist/trace/trace.js';
import { demoPictures } from '../demo/dist/pictures.js';

/** Rings that overlap: a letter set many times, each a little beside the last. */
function heap(rings, copies) {
  const out = [];
  for (let i = 0; i < copies; i++)
    for (const ring of rings)
      out.push(ring.map((s) => (s.kind === 'line' ? { ...s, a: [s.a[0] + i * 0.7, s.a[1]], b: [s.b[0] + i * 0.7, s.b[1]] } : { ...s, points: s.points.map(([x, y]) => [x + i * 0.7, y]) }))); // prettier-ignore
  return out;
}

export async function benchArtwork({ row, times, ms, engine }) {
  const words = Array.from({ length: 50 }, () => 'The quick brown fox jumps over the lazy dog 012345').join('\n');
  const from = performance.now();
  const letters = await lettersOf(usualText, nodeLetters);
  const set = await setText({ ...usualText, words }, letters);
  const cold = performance.now() - from;
  row(`${set.letters.toLocaleString('en')} letters to outlines, fonts read first`, ms(cold), '', null, '<= 1 s', cold <= 1000);
  const again = performance.now();
  await setText({ ...usualText, words }, letters);
  row('the same again', ms(performance.now() - again), '', null, '', null);

  // From a list to files, each written, read back and proved; by as many threads as there are processors.
  const folder = mkdtempSync(join(tmpdir(), 'plates-'));
  writeFileSync(
    join(folder, 'list.csv'),
    `No,Name\n${Array.from({ length: 500 }, (_, i) => `${String(i + 1).padStart(3, '0')},Mast ${(i % 40) + 1}`).join('\n')}\n`,
  );
  const started = performance.now();
  execFileSync('node', ['core/bin/tall-kite.mjs', 'text', '{No}\\n{Name}', '--cap', '8', '--plate', '80x40r4', '--holes', '2x3@5', '--list', join(folder, 'list.csv'), '--format', 'dxf', '--out', folder, '--json'], { maxBuffer: 1e8 }); // prettier-ignore
  const plates = performance.now() - started;
  rmSync(folder, { recursive: true, force: true });
  row('500 numbered plates from a CSV to DXF, each read back and proved', ms(plates), '', null, '<= 20 s', plates <= 20_000);

  const { contours: one } = await setText({ ...usualText, words: 'Station & 8', size: { by: 'cap', mm: 10 } }, letters);
  const rings = heap(
    one.map((c) => c.segments),
    4,
  );
  const chords = rings.map((ring) => {
    const out = [];
    for (const s of ring) flattenInto(s, 1e-4, out);
    return out;
  });
  const exact = times(3, () => unionOf(rings));
  const clipper = times(3, () => {
    const section = new engine.CrossSection(chords, 'NonZero');
    section.area();
    section.delete();
  });
  row(`union of ${rings.length} overlapping outlines, exact curves`, ms(exact), `Clipper on chords within 1e-4 mm, ${ms(clipper)}`, exact / clipper, '', null);

  const { drawing } = await lettered({ ...usualText, words: words.slice(0, 400) }, nodeLetters);
  row('400 letters held against themselves, both ways', ms(times(3, () => drawingDistance(drawing, drawing))), '', null, '', null);

  const [width, height] = [2000, 1500];
  const values = new Float32Array(width * height);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) values[y * width + x] = 0.5 + 0.5 * Math.sin(x / 31) * Math.cos(y / 23);
  for (let x = 0; x < width; x++) values[x] = values[(height - 1) * width + x] = 0;
  for (let y = 0; y < height; y++) values[y * width] = values[y * width + width - 1] = 0;
  const own = times(3, () => loopsOf({ values, width, height, level: 0.6 }));
  const d3 = contours().size([width, height]).thresholds([0.6]);
  const peer = times(3, () => d3(values));
  row('loops of a picture of 3 million pixels', ms(own), `d3-contour, ${ms(peer)}`, own / peer, '<= 1', own <= peer);
  const science = byScience(values, width, height, 0.6);
  if (science === null) row('the same beside scikit-image', ms(own), "Debian's python3-skimage is not installed", null, '<= 1', null);
  else row('the same beside scikit-image', ms(own), `find_contours, ${ms(science)}`, own / science, '<= 1', own <= science);
  await benchPhotograph({ row, times, ms });
}

/** A grainy photograph of 12 million pixels to contours that are fitted and measured, beside the bare way from pixel to pixel at the same level. */
async function benchPhotograph({ row, times, ms }) {
  const { bytes } = (await demoPictures()).find((p) => p.name === 'cheek-template.jpg');
  const large = await sharp(bytes).resize(4000, 3000, { fit: 'fill', kernel: 'cubic' }).jpeg({ quality: 92 }).toBuffer();
  const picture = await decodePicture(large);
  const bright = brightness(picture, false);
  const science = byScience(bright, picture.width, picture.height, otsu(counted(bright)));
  for (const way of ['brightness', 'adaptive', 'colours', 'outside']) {
    const took = times(3, () => trace(picture, { ...usualTrace, way, size: { kind: 'width', mm: 210 }, speckle: 4 }));
    const peer = science === null ? "Debian's python3-skimage is not installed" : `find_contours of its brightness, ${ms(science)}`;
    row(`a photograph of 12 million pixels to fitted contours, ${way}`, ms(took), peer, science === null ? null : took / science, '<= 3 s', took <= 3000);
  }
}

/** ms of scikit-image's marching squares over the same values, the least of three; null where Debian's python3-skimage is not installed. */
function byScience(values, width, height, level) {
  const folder = mkdtempSync(join(tmpdir(), 'tall-kite-contours-'));
  writeFileSync(join(folder, 'values'), new Uint8Array(values.buffer));
  const text = `
import sys, time, numpy as np
from skimage.measure import find_contours
values = np.fromfile(sys.argv[1], dtype=np.float32).reshape(int(sys.argv[3]), int(sys.argv[2]))
best = 1e9
for _ in range(3):
    begin = time.perf_counter(); find_contours(values, float(sys.argv[4])); best = min(best, time.perf_counter() - begin)
print(best * 1000)
`;
  try {
    const said = execFileSync('/usr/bin/python3', ['-c', text, join(folder, 'values'), String(width), String(height), String(level)], {
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    return Number(said.toString());
  } catch {
    return null;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
