import { command, type Asked, type Report } from '../command/command.ts';
import { millimetres, number } from '../command/option.ts';
import { facetOptions, readOptions, wholeOf } from '../command/source.ts';
import { receiverFor, receiverOption } from '../command/written.ts';
import { nodeEngine } from '../engine/load.ts';
import { shapeFindings } from '../mesh/soundness/gate.ts';
import { printReport } from '../processes/print.ts';

const options = {
  layer: millimetres([0.01, 5], "Height of a layer; usually the receiver's."),
  bead: millimetres([0.05, 5], "Width of a bead; usually the receiver's."),
  walls: number('N', [1, 20], 'walls', 'How many walls; usually 2.'),
  infill: number('PERCENT', [0, 100], 'percent', 'How full it is inside; usually 20.'),
  ...receiverOption,
  ...readOptions,
  ...facetOptions,
};

async function run(asked: Asked<typeof options>): Promise<Report> {
  const { mesh, parts } = await wholeOf(asked.files[0], asked);
  const receiver = receiverFor(asked.receiver, 'stl');
  const choice = {
    layer: asked.layer ?? receiver.layer,
    bead: asked.bead ?? receiver.bead,
    walls: Math.round(asked.walls ?? 2),
    infill: (asked.infill ?? 20) / 100,
    overhang: receiver.overhang,
    support: true,
  };
  const { layers, report: printed } = printReport(await nodeEngine(), mesh, choice)!;
  const report = { ...printed, findings: [...printed.findings, ...shapeFindings(mesh, { several: parts > 1 })] };
  const areas = layers.map((l) => ({ z: l.z, area: l.area, contours: l.closed.length, open: l.closed.filter((c) => !c).length }));
  const found = report.findings.map((f) => `${f.severity}: ${f.message} ${f.remedy}\n`).join('');
  return {
    json: { input: asked.files[0], receiver: receiver.id, choice, report, layers: areas },
    text: `${report.layers} layers of ${choice.layer} mm; ${report.slicedVolume.toFixed(1)} mm3 sliced, ${report.meshVolume.toFixed(1)} mm3 in the part; ${report.filamentMass.toFixed(1)} g, ${(report.filamentLength / 1000).toFixed(2)} m of filament, about ${report.minutes.toFixed(0)} min\n${found}`,
    severities: report.findings.map((f) => f.severity),
  };
}

export const sliceCommand = command({
  word: 'slice',
  takes: 'IN',
  least: 1,
  most: 1,
  out: null,
  options,
  does: 'What a printer would do with the file: layers, beads, time, filament, warnings.',
  example: 'slice "WS-108 rain guard.stl" --layer 0.3',
  run,
});
