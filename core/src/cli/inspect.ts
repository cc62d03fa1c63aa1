import { Unusable, worst, type Finding, type Severity } from '../base/finding.ts';
import { command, type Asked, type Report } from '../command/command.ts';
import { drawingChoices, drawingReadOptions, knownLengthOption, loadDesign, readOptions } from '../command/source.ts';
import { sizeOf } from '../geometry/box.ts';
import { usualChoices } from '../model/choices.ts';
import type { Design, DesignPart } from '../model/design.ts';
import { isPatch } from '../model/is-patch.ts';
import { readyReceivers } from '../receivers/ready.ts';
import { firstRecipe, scaleOf } from '../recipe/recipe.ts';
import { knownFactor } from './known-length.ts';

const options = { ...readOptions, ...drawingReadOptions, ...knownLengthOption };
type Wish = Asked<typeof options>;

/** `inspect`: every file, its parts and findings. A file that can't be read is reported and the others go on. */
async function run(given: Wish): Promise<Report> {
  const files = [];
  let text = '';
  const severities: Severity[] = [];
  for (const file of given.files) {
    let design: Design;
    try {
      design = await loadDesign(file, { ...usualChoices, up: given.up, ...drawingChoices(given) });
    } catch (thrown) {
      if (!(thrown instanceof Unusable)) throw thrown;
      const finding: Finding = { code: thrown.code, severity: 'stop', count: 1, message: thrown.message, remedy: thrown.remedy };
      files.push({ file, format: null, version: null, unit: null, parts: [], findings: [finding] });
      severities.push('stop');
      text += `${file}: ${thrown.message} ${thrown.remedy}\n`;
      continue;
    }
    const known = given.knownLength ? design.parts.map((part) => knownOf(part, given)) : [];
    const findings = [...design.findings, ...design.parts.flatMap((part) => part.findings)];
    severities.push(worst(findings.map((f) => f.severity)));
    files.push({
      file,
      format: design.format,
      version: design.version,
      unit: design.unit,
      parts: design.parts.map((part) => (part.geometry.kind === 'drawing' ? flatFigures(part, given) : figures(part.summary))),
      findings,
      ...(design.leftOut ? { leftOut: design.leftOut } : {}),
      ...(known.length > 0 ? { knownLength: known } : {}),
    });
    text += sentences(file, design, findings);
    for (const k of known) text += `  ${k.said}\n`;
  }
  return { json: { files }, text, severities };
}

/** What is not closed has no volume. */
const isOpen = (part: Design['parts'][number]['summary']) => (part.openEdges ?? 0) + (part.nonManifoldEdges ?? 0) + (part.flippedEdges ?? 0) > 0;

function figures(part: Design['parts'][number]['summary']) {
  const { name, path, kind, quantity, colour, box, volume, area, faces, triangles, shells, openEdges, nonManifoldEdges, flippedEdges, degenerateTriangles } =
    part;
  return {
    name,
    path,
    kind,
    patch: isPatch(part),
    quantity,
    colour,
    box,
    volume: isOpen(part) ? null : volume,
    area,
    faces,
    triangles,
    shells,
    openEdges,
    nonManifoldEdges,
    flippedEdges,
    degenerateTriangles,
  };
}

/** What makes a known length true, with its name. */
function knownOf({ summary }: DesignPart, { fromUnit, knownLength }: Wish) {
  const recipe = firstRecipe(summary, readyReceivers);
  recipe.size.reading = fromUnit;
  return { part: summary.name, ...knownFactor(summary, recipe, knownLength!) };
}

/** Figures of a drawing, in mm under the reading that was typed or is usual. */
function flatFigures(part: DesignPart, given: Pick<Wish, 'fromUnit'>) {
  const recipe = firstRecipe(part.summary, readyReceivers);
  recipe.size.reading = given.fromUnit;
  const k = scaleOf(part.summary, recipe);
  const { name, path, kind, quantity, box, unit } = part.summary;
  const f = part.summary.drawing!;
  const [min, max] = [box.min, box.max].map((p) => [p[0] * k, p[1] * k, 0]);
  return { ...f, name, path, kind, quantity, unit, box: { min, max }, gaps: f.gaps.map((g) => g * k), length: f.length * k, area: f.area * k * k };
}

function sentences(file: string, design: Design, findings: Finding[]): string {
  const lines = [`${file}: ${design.format} ${design.version}, ${design.unit ? `unit ${design.unit}` : 'no unit, measured as mm'}`];
  for (const { summary: p } of design.parts) {
    const size = sizeOf(p.box)
      .map((v) => v.toFixed(3))
      .join(' x ');
    const d = p.drawing;
    if (d) {
      lines.push(
        `  ${p.path.join(' / ')}: drawing, ${d.contours} contours (${d.openContours} open), ${d.holes} holes, ${size.split(' x ').slice(0, 2).join(' x ')}${p.unit ? ' mm' : ', no unit'}`,
      );
      continue;
    }
    const what = p.kind === 'solid' ? `solid, ${p.faces} faces` : `${isPatch(p) ? 'patch' : 'mesh'}, ${p.triangles} triangles, ${p.openEdges} open edges`;
    lines.push(
      `  ${p.quantity} x ${p.path.join(' / ')}: ${what}, ${size} mm, ${isPatch(p) ? `${p.area.toFixed(2)} mm2` : isOpen(p) ? 'no volume: not closed' : `${p.volume.toFixed(2)} mm3`}`,
    );
  }
  for (const f of findings) lines.push(`  ${f.severity}: ${f.message} ${f.remedy}`);
  return `${lines.join('\n')}\n`;
}

export const inspectCommand = command({
  word: 'inspect',
  takes: 'FILE...',
  least: 1,
  most: Infinity,
  out: null,
  options,
  does: 'What is in the files: parts, sizes, soundness, findings.',
  example: 'inspect "WS-101 sensor housing.step" crate-panel.svg',
  run,
});
