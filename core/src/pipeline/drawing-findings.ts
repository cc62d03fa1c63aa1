import type { Drawing, TextMark } from '../curves/drawing.ts';
import type { Meant } from '../drawing/meaning.ts';
import type { Box2 } from '../curves/measure.ts';
import type { Finding } from '../base/finding.ts';
import { lossFinding, type Loss } from '../base/loss.ts';
import type { DrawingRecipe } from '../model/drawing-recipe.ts';
import { formatNames, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { carved, ownLabels } from './ready-drawing.ts';

/** What is said of the depths in the evidence: they stand in the names of layers, and only there. */
export function carveFinding(meant: readonly Meant[], { carve, stock, keepLayers }: DrawingRecipe, format: FileFormat): Finding[] {
  if (!carve || !meant.some(carved)) return [];
  const depths = [...new Set(meant.filter(carved).map((m) => `${m.meaning} ${Number(m.contour.depth!.toFixed(3))} mm`))].join(', ');
  const zero = stock ? `, Z 0 on ${stock.zZero === 'top' ? 'top of the sheet' : 'the bed'}` : '';
  const lost = keepLayers || format === 'pdf';
  const why = keepLayers ? 'Layers keep the names of the source' : 'A page has no layers';
  const where = lost ? `${why}: the depths are not in the file.` : 'They stand in the names of the layers.';
  return [
    {
      code: 'depths',
      severity: lost ? 'look' : 'clear',
      count: 1,
      message: `Carved with a bit of ${carve.bit} mm ${carve.side === 'on' ? 'on the line' : 'on the waste side'}${zero}: ${depths}. ${where}`,
      remedy: lost ? 'Write DXF or SVG with layers by meaning, or tell the depths to whoever runs the machine.' : 'Nothing to do.',
    },
  ];
}

/** What is written of a drawing. */
interface Written {
  texts: readonly TextMark[];
  format: FileFormat;
  /** What was told of the drawing already. */
  told: readonly Finding[];
  /** Contours that have none. */
  withoutLength: number;
}

/** What the drawing shows and the file does not hold: writing that is not part of a flat pattern, and single points. */
export function unwritten(drawing: Drawing, { texts, format, told, withoutLength }: Written): Finding[] {
  const losses: Loss[] = [];
  const lost = drawing.texts.length - (format === 'dxf' ? texts.length : 0);
  if (lost > 0 && !ownLabels(drawing) && !told.some((f) => f.code === 'texts'))
    losses.push({ what: 'text', count: lost, why: 'writing is not cut; turn it into outlines where the file was made' });
  if (withoutLength > 0) losses.push({ what: 'contour without length', count: withoutLength, why: 'there is nothing of it to cut' });
  if (drawing.points.length > 0) losses.push({ what: 'single point', count: drawing.points.length, why: 'points are not written' });
  const finding = lossFinding(losses);
  const findings = finding ? [finding] : [];
  if (lost > 0 && ownLabels(drawing))
    findings.push({
      code: 'labels',
      severity: 'clear',
      count: lost,
      message: `Not written, since ${formatNames[format]} goes out without text: ${lost.toLocaleString('en')} ${drawing.pattern ? 'bend ' : ''}${lost === 1 ? 'label' : 'labels'}.`,
      remedy: drawing.pattern ? 'The bend table says the same; choose DXF for labels on the flat.' : 'Choose DXF for labels in the file.',
    });
  return findings;
}

/** Whether the drawing fits the stock and the stock the machine, with figures. */
export function fitFindings(box: Box2, how: DrawingRecipe, receiver: Receiver): Finding[] {
  const findings: Finding[] = [];
  const [w, h] = [box[2] - box[0], box[3] - box[1]];
  const { stock } = how;
  if (stock) {
    const over = [w - stock.width, h - stock.height];
    if (Math.max(...over) > 1e-6) {
      const k = over[0] > over[1] ? 0 : 1;
      const turns = w <= stock.height && h <= stock.width;
      findings.push({
        code: 'off-the-stock',
        severity: 'stop',
        count: 1,
        message: `The drawing is ${over[k].toFixed(1)} mm too long for the sheet of ${stock.width} × ${stock.height} mm along ${'XY'[k]}.`,
        remedy: turns ? 'It fits when turned by 90°.' : 'Take a larger sheet, or check the unit on the Size step.',
      });
    }
    if (stock.width > receiver.bed[0] || stock.height > receiver.bed[1] || stock.thickness > receiver.bed[2]) {
      findings.push({
        code: 'stock-too-large',
        severity: 'stop',
        count: 1,
        message: `The sheet of ${stock.width} × ${stock.height} × ${stock.thickness} mm does not go into ${receiver.name} (${receiver.bed.join(' × ')} mm).`,
        remedy: 'Cut the sheet down, or choose a larger machine.',
      });
    }
  }
  return findings;
}
