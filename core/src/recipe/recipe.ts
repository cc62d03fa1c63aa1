import { cutTo, sound, straight } from '../base/sound.ts';
import type { PartSummary } from '../model/design.ts';
import { recommend } from '../surfaces/survey.ts';
import { presets, type FacetChoice } from '../surfaces/presets.ts';
import { noReceiver, receiversFor, usualReceiver, type FileFormat, type Receiver } from '../receivers/receivers.ts';
import { mmPer } from '../base/readings.ts';
import { mayBeBare, usualReading } from '../formats/registry.ts';
import { firstDrawingRecipe, type DrawingRecipe } from '../model/drawing-recipe.ts';
import { asModelled, type Stance } from '../stance/stance.ts';

/** How a part is made ready for a receiver: the settings of each step, saved as data. */
export interface Recipe {
  /** The rules of the machine that it is for, as they were when it was chosen. */
  receiver: Receiver;
  size: {
    /** Unit that the numbers of a file without one are read as; null while nobody has chosen (then mm). */
    reading: string | null;
    /** A further factor, 1 unless a known length was given. */
    factor: number;
  };
  stance: Stance;
  facets: FacetChoice & {
    /** Which preset the figures came from, null when typed. */
    preset: string | null;
    budget: { kind: 'triangles' | 'bytes'; most: number } | null;
  };
  file: {
    format: FileFormat;
    encoding: 'binary' | 'ascii';
    /** Unit of the numbers in the file. */
    unit: string;
    /** File name without ending; null takes the part's name. */
    name: string | null;
    /** OBJ: regular pairs of triangles written as faces with four corners. */
    quads: boolean;
  };
  /** How a drawing is made ready; absent for solids and meshes. */
  drawing?: DrawingRecipe;
}

/**
 * The recipe of a part that nobody has touched: for the first of the receivers that its kind can go to, as modelled, the preset that suits its
 * surfaces, binary STL in mm.
 * @example firstRecipe(part.summary, readyReceivers).facets.deviation
 */
export function firstRecipe(
  part: Pick<PartSummary, 'survey'> & Partial<Pick<PartSummary, 'kind' | 'patch' | 'box' | 'relief'>>,
  receivers: readonly Receiver[],
): Recipe {
  const receiver = receiverOf(part, receivers);
  if (part.kind === 'drawing') {
    return {
      receiver,
      size: { reading: null, factor: 1 },
      stance: asModelled,
      facets: { deviation: presets[1].deviation, angle: presets[1].angle, preset: null, budget: null },
      file: { format: 'dxf', encoding: 'ascii', unit: 'mm', name: null, quads: false },
      drawing: firstDrawingRecipe(),
    };
  }
  const preset = part.survey ? recommend(part.survey).preset : presets[1];
  return {
    receiver,
    size: { reading: null, factor: 1 },
    stance: asModelled,
    facets: { deviation: preset.deviation, angle: preset.angle, preset: preset.id, budget: null },
    file: { format: 'stl', encoding: 'binary', unit: 'mm', name: null, quads: false },
  };
}

/** The first machine for such a part; a spread surface or a block of stock goes where it has room. */
function receiverOf(
  { kind = 'mesh', patch, relief, box }: Partial<Pick<PartSummary, 'kind' | 'patch' | 'box' | 'relief'>>,
  receivers: readonly Receiver[],
): Receiver {
  if (patch && box) return largeEnough(box, receivers) ?? usualReceiver(kind, receivers);
  if (!relief || !box) return usualReceiver(kind, receivers);
  // A block that is too large for the usual machine goes to a router that nobody has described here yet.
  const usual = usualReceiver(kind, receivers);
  return [0, 1, 2].every((k) => box.max[k] - box.min[k] <= usual.bed[k]) ? usual : noReceiver;
}

/** The first machine for sheets on which a spread surface has room: a sail is no plate. */
export function largeEnough({ min, max }: PartSummary['box'], receivers: readonly Receiver[]): Receiver | null {
  const fits = (r: Receiver) => max[0] - min[0] <= r.bed[0] && max[1] - min[1] <= r.bed[1];
  return receiversFor('drawing', receivers).find((r) => r.formats.includes('dxf') && fits(r)) ?? null;
}

/** How many mm of the finished part one number of its geometry is. STEP, IGES and 3MF come as mm; files without a unit by reading. */
export function scaleOf(part: Pick<PartSummary, 'unit' | 'format'>, recipe: Recipe): number {
  // A drawing that states its unit was read as mm; other formats without one never state it.
  const bare = part.unit === null && mayBeBare(part.format);
  const unit = bare ? mmPer(recipe.size.reading ?? usualReading(part.format)) : 1;
  return unit * recipe.size.factor;
}

/** Longest name without its ending, bytes of UTF-8: with folder names and endings it stays under what file systems take. */
const longestFileName = 200;

/** A file name that every operating system takes: no separators, no reserved characters or names, nothing that turns its writing round, at most 120 characters and 200 bytes. */
export function safeFileName(name: string): string {
  const whole = straight(name.normalize('NFC'))
    .replace(/[\0-\x1f<>:"/\\|?*\x7f]/g, '_')
    .replace(/\s+/g, '-')
    .replace(/^[.\-_]+|(?<![.\-_ ])[.\-_ ]+$/g, '')
    .slice(0, 120);
  const plain = cutTo(sound(whole).replace(/\ufffd$/, ''), longestFileName);
  if (plain === '' || /^(con|prn|aux|nul|com\d|lpt\d)$/i.test(plain)) return `part_${plain}`;
  return plain;
}

/** The file name of a part under a recipe, with the unit in it so that nobody has to guess. */
export function fileNameOf(part: Pick<PartSummary, 'name'>, recipe: Recipe): string {
  return `${safeFileName(recipe.file.name ?? `${part.name}_${recipe.file.unit}`)}.${recipe.file.format}`;
}
