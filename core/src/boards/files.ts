import { zipSync } from 'fflate';
import { sha256 } from '../base/sha256.ts';
import { safeFileName } from '../recipe/recipe.ts';
import type { Board } from './board.ts';
import type { BoardChoice } from './choice.ts';
import { layersOf, type LayerFile } from './layers.ts';

/** A file of a board with its name. */
export interface BoardFile {
  file: string;
  /** What it is: the standard's function, "JobFile" or "Readme". */
  function: string;
  bytes: Uint8Array;
  sha256: string;
}

/**
 * The files that a board shop gets: layers, drill files, the job file and a readme. No time in them: equal inputs give equal bytes.
 * @param name of the board; files are called by it
 */
export function boardFiles(board: Board, choice: BoardChoice, name: string): BoardFile[] {
  const base = safeFileName(name);
  const layers = layersOf(board, choice);
  const named = layers.map((l) => ({ layer: l, file: `${base}${l.endings[choice.names]}` }));
  const encoder = new TextEncoder();
  const made = (file: string, what: string, bytes: Uint8Array): BoardFile => ({ file, function: what, bytes, sha256: sha256([bytes]) });
  return [
    ...named.map(({ layer, file }) => made(file, layer.function, layer.bytes)),
    made(`${base}.gbrjob`, 'JobFile', encoder.encode(jobFile({ board, choice, name }, named))),
    made('readme.txt', 'Readme', encoder.encode(readme({ board, choice, name }, named))),
  ];
}

/** All files as one. */
export const boardZip = (files: readonly BoardFile[]): Uint8Array =>
  zipSync(Object.fromEntries(files.map((f) => [f.file, f.bytes])), { mtime: new Date(1980, 0, 1) });

interface About {
  board: Board;
  choice: BoardChoice;
  name: string;
}
type Named = { layer: LayerFile; file: string };

const round = (v: number): number => Number(v.toFixed(6));

/** What the shop is told of the stack, as JSON. Source: Gerber Job Format Specification, 2020 (from memory); its day is left out, so that bytes repeat. */
function jobFile({ board, choice, name }: About, files: readonly Named[]): string {
  const [a, b, c, d] = board.box;
  const coppers = files.filter((f) => f.layer.function.startsWith('Copper'));
  const micron = choice.copperMicrons / 1000;
  const stack = [
    ...files.filter((f) => f.layer.function === 'Legend,Top').map(() => ({ Type: 'Legend', Color: 'White', Name: 'Legend top' })),
    ...files.filter((f) => f.layer.function === 'Soldermask,Top').map(() => ({ Type: 'SolderMask', Color: capital(choice.mask), Name: 'Mask top' })),
    ...coppers.filter((f) => f.layer.function.endsWith('Top')).map(() => ({ Type: 'Copper', Thickness: micron, Name: 'Copper top' })),
    { Type: 'Dielectric', Thickness: choice.thickness, Material: 'FR4', Name: 'Board' },
    ...coppers.filter((f) => f.layer.function.endsWith('Bot')).map(() => ({ Type: 'Copper', Thickness: micron, Name: 'Copper bottom' })),
    ...files.filter((f) => f.layer.function === 'Soldermask,Bot').map(() => ({ Type: 'SolderMask', Color: capital(choice.mask), Name: 'Mask bottom' })),
    ...files.filter((f) => f.layer.function === 'Legend,Bot').map(() => ({ Type: 'Legend', Color: 'White', Name: 'Legend bottom' })),
  ];
  const job = {
    Header: { GenerationSoftware: { Vendor: 'Tall Kite', Application: 'Tall Kite' } },
    GeneralSpecs: {
      ProjectId: { Name: name },
      Size: { X: round(c - a), Y: round(d - b) },
      LayerNumber: coppers.length,
      BoardThickness: choice.thickness,
    },
    DesignRules: coppers.length > 0 ? [{ Layers: 'Outer', PadToRegion: choice.clearance, RegionToRegion: choice.clearance }] : [],
    FilesAttributes: files.map(({ layer, file }) => ({ Path: file, FileFunction: layer.function, FilePolarity: layer.polarity })),
    MaterialStackup: stack,
  };
  return `${JSON.stringify(job, null, 1)}\n`;
}
const capital = (word: string): string => word[0].toUpperCase() + word.slice(1);

/** Sizes and counts for whoever opens the zip. */
function readme({ board, choice, name }: About, files: readonly Named[]): string {
  const [a, b, c, d] = board.box;
  const count = (plated: boolean) => [board.holes.filter((h) => h.plated === plated).length, board.slots.filter((s) => s.plated === plated).length];
  const [[ph, ps], [bh, bs]] = [count(true), count(false)];
  const n = (k: number, one: string) => `${k} ${k === 1 ? one : `${one}s`}`;
  const copper = { none: 'none poured', top: 'poured on top', both: 'poured on both sides' }[choice.copper];
  return [
    `${name}`,
    `Size ${round(c - a)} x ${round(d - b)} mm, ${choice.thickness} mm thick. All numbers are millimetres. Seen from the top.`,
    `Copper: ${copper}, ${choice.copperMicrons} micrometres. Mask: ${choice.mask}.`,
    `Plated: ${n(ph, 'hole')}, ${n(ps, 'slot')}. Bare: ${n(bh, 'hole')}, ${n(bs, 'slot')}. Cut-outs: ${board.cutOuts.length}, in the profile.`,
    ...(choice.orderSpot ? [`The order number may stand on the filled spot of the legend, ${choice.orderSpot.side}.`] : []),
    ...(choice.panel ? [`A panel of ${choice.panel.columns} x ${choice.panel.rows}, ${choice.panel.join === 'scored' ? 'scored' : 'held by tabs'}.`] : []),
    '',
    ...files.map(({ layer, file }) => `${file}: ${layer.function}`),
    '',
  ].join('\r\n');
}
