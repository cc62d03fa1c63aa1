import { Unusable, type Finding } from '../findings/finding.ts';
import type { Box } from '../geometry/box.ts';
import { determinantOf, identityRows, timesRows } from '../geometry/rows.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import { withScope } from './scope.ts';

/** One different solid of a design, with every place where it occurs. */
export interface SolidPart {
  name: string;
  /** Names from the top of the tree down to the first occurrence, its own name last. */
  path: string[];
  quantity: number;
  /** sRGB colour as #rrggbb, when the file gives one. */
  colour: string | null;
  /** BREP text in the part's own coordinates, mm. */
  brep: string;
  box: Box;
  volume: number;
  area: number;
  /** Centre of volume, mm. */
  centre: [number, number, number];
  faces: number;
  shells: number;
  /** 12 numbers an occurrence: rows of rotation and shift, mm. */
  places: number[][];
}

/** A node of the assembly tree as the file has it. */
export interface TreeNode {
  name: string;
  colour: string | null;
  /** Which parts (indices into the list) hang here. */
  parts: number[];
  children: TreeNode[];
}

export interface OpenedStep {
  tree: TreeNode[];
  parts: SolidPart[];
  findings: Finding[];
}

/** Nesting deeper than this is refused. */
const deepest = 64;
const mostOccurrences = 20_000;

interface Walk {
  kernel: Kernel;
  colours: Kernel;
  byKey: Map<string, number>;
  parts: SolidPart[];
  loose: number;
  occurrences: number;
  failed: number;
}

/**
 * Opens a STEP file: tree, names, colours, and one part per different solid in its own coordinates with its places.
 * Numbers come as mm whatever the file's unit.
 * @throws Unusable when the kernel finds nothing that it can read.
 */
export function openStep(kernel: Kernel, bytes: Uint8Array): OpenedStep {
  const file = '/design.stp';
  kernel.FS.writeFile(file, bytes);
  try {
    return withScope((keep) => {
      const document = readDocument(kernel, file, keep);
      const shapes = keep(kernel.XCAFDoc_DocumentTool.ShapeTool(document.Main())).get();
      const colours = keep(kernel.XCAFDoc_DocumentTool.ColorTool(document.Main())).get();
      const free = keep(new kernel.TDF_LabelSequence_1());
      shapes.GetFreeShapes(free);
      const walk: Walk = { kernel, colours, byKey: new Map(), parts: [], loose: 0, occurrences: 0, failed: 0 };
      const tree: TreeNode[] = [];
      for (let i = 1; i <= free.Length(); i++) tree.push(visit(walk, free.Value(i), [], identityRows, 0, null));
      return { tree, parts: walk.parts, findings: oddities(walk) };
    });
  } finally {
    kernel.FS.unlink(file);
  }
}

function oddities(walk: Walk): Finding[] {
  const findings: Finding[] = [];
  if (walk.loose > 0) {
    findings.push({
      code: 'loose-faces',
      severity: 'look',
      count: walk.loose,
      message: `${walk.loose.toLocaleString('en')} faces belong to no solid and were left out of the parts.`,
      remedy: 'Sew them to a solid in the program that made them, and export again.',
    });
  }
  if (walk.failed > 0) {
    findings.push({
      code: 'solids-unreadable',
      severity: 'stop',
      count: walk.failed,
      message: `${walk.failed.toLocaleString('en')} solids could not be read and were left out.`,
      remedy: 'Heal them in the program that made them, and export again.',
    });
  }
  if (walk.parts.length === 0) {
    findings.push({
      code: 'no-solids',
      severity: 'stop',
      count: 1,
      message: 'The design holds no solid.',
      remedy: 'Export it as solids, not as surfaces, wires or a picture.',
    });
  }
  return findings;
}

function readDocument(kernel: Kernel, file: string, keep: <K>(o: K) => K): Kernel {
  const reader = keep(new kernel.STEPCAFControl_Reader_1());
  const document = new kernel.TDocStd_Document(keep(new kernel.TCollection_ExtendedString_1()));
  try {
    reader.SetNameMode(true);
    reader.SetColorMode(true);
    const status = reader.ReadFile(file);
    if (status !== kernel.IFSelect_ReturnStatus.IFSelect_RetDone) throw new Error('it is not a STEP file that can be parsed');
    const handle = keep(new kernel.Handle_TDocStd_Document_2(document));
    if (!reader.Transfer_1(handle, keep(new kernel.Message_ProgressRange_1()))) throw new Error('nothing in it could be turned into geometry');
  } catch (thrown) {
    throw new Unusable(
      'step-unreadable',
      `The STEP file could not be opened: ${kernelMessage(kernel, thrown)}.`,
      'Export it again, as AP214 if there is a choice.',
    );
  }
  return document;
}

function visit(walk: Walk, label: Kernel, above: string[], place: number[], depth: number, inherited: string | null): TreeNode {
  const { kernel } = walk;
  const tool = kernel.XCAFDoc_ShapeTool;
  if (depth > deepest) throw new Unusable('too-deep', `The assembly is nested more than ${deepest} levels deep.`, 'Export a smaller piece of it.');
  let target = label;
  let here = place;
  if (tool.IsReference(label)) {
    target = new kernel.TDF_Label();
    tool.GetReferredShape(label, target);
    here = timesRows(place, rowsOfLocation(tool.GetShape_2(label)));
  }
  const instance = nameOf(kernel, label);
  const own = nameOf(kernel, target) ?? instance ?? 'Part';
  const colour = colourOf(walk, label) ?? colourOf(walk, target) ?? inherited;
  const node: TreeNode = { name: instance ?? own, colour, parts: [], children: [] };
  const path = [...above, own];
  if (tool.IsAssembly(target)) {
    const components = new kernel.TDF_LabelSequence_1();
    tool.GetComponents(target, components, false);
    for (let i = 1; i <= components.Length(); i++) node.children.push(visit(walk, components.Value(i), path, here, depth + 1, colour));
    components.delete();
    return node;
  }
  node.parts = solidsOf(walk, target, path, here, colour);
  return node;
}

/** The solids below a simple shape: each is a part, or one more of a part met before. */
function solidsOf(walk: Walk, label: Kernel, path: string[], place: number[], colour: string | null): number[] {
  const { kernel } = walk;
  const shape = kernel.XCAFDoc_ShapeTool.GetShape_2(label);
  const solids = explored(kernel, shape, 'TopAbs_SOLID', 'TopAbs_SHAPE');
  walk.loose += explored(kernel, shape, 'TopAbs_FACE', 'TopAbs_SOLID').length;
  const mirrored = determinantOf(place) < 0;
  return solids.map((solid, i) => {
    if (++walk.occurrences > mostOccurrences) {
      throw new Unusable('too-many-parts', `The design has more than ${mostOccurrences.toLocaleString('en')} solids.`, 'Export a smaller piece of it.');
    }
    const key = `${entryOf(label)}#${i}${mirrored ? 'm' : ''}`;
    const known = walk.byKey.get(key);
    if (known !== undefined) {
      walk.parts[known].quantity++;
      walk.parts[known].places.push(place);
      return known;
    }
    const own = path[path.length - 1];
    const name = `${own}${solids.length > 1 ? ` ${i + 1}` : ''}${mirrored ? ' (mirrored)' : ''}`;
    const index = walk.parts.length;
    walk.parts.push({ ...solidFigures(kernel, solid), name, path: [...path.slice(0, -1), name], quantity: 1, colour, places: [place] });
    walk.byKey.set(key, index);
    return index;
  });
}

function explored(kernel: Kernel, shape: Kernel, find: string, avoid: string): Kernel[] {
  const found: Kernel[] = [];
  const explorer = new kernel.TopExp_Explorer_2(shape, kernel.TopAbs_ShapeEnum[find], kernel.TopAbs_ShapeEnum[avoid]);
  for (; explorer.More(); explorer.Next()) found.push(explorer.Current());
  explorer.delete();
  return found;
}

function solidFigures(kernel: Kernel, solid: Kernel): Pick<SolidPart, 'brep' | 'box' | 'volume' | 'area' | 'centre' | 'faces' | 'shells'> {
  return withScope((keep) => {
    const file = '/part.brep';
    kernel.BRepTools.Write_3(solid, file, keep(new kernel.Message_ProgressRange_1()));
    const brep = kernel.FS.readFile(file, { encoding: 'utf8' }) as string;
    kernel.FS.unlink(file);
    const volume = keep(new kernel.GProp_GProps_1());
    kernel.BRepGProp.VolumeProperties_1(solid, volume, false, false, false);
    const centre = keep(volume.CentreOfMass());
    const area = keep(new kernel.GProp_GProps_1());
    kernel.BRepGProp.SurfaceProperties_1(solid, area, false, false);
    const box = keep(new kernel.Bnd_Box_1());
    kernel.BRepBndLib.AddOptimal(solid, box, false, false);
    const low = keep(box.CornerMin());
    const high = keep(box.CornerMax());
    return {
      brep,
      volume: volume.Mass(),
      area: area.Mass(),
      centre: [centre.X(), centre.Y(), centre.Z()],
      faces: explored(kernel, solid, 'TopAbs_FACE', 'TopAbs_SHAPE').length,
      shells: explored(kernel, solid, 'TopAbs_SHELL', 'TopAbs_SHAPE').length,
      box: { min: [low.X(), low.Y(), low.Z()].map(rounded) as Box['min'], max: [high.X(), high.Y(), high.Z()].map(rounded) as Box['max'] },
    };
  });
}

/** To the nanometre: the kernel widens some boxes by its confusion distance of 1e-7 mm. */
export function rounded(value: number): number {
  return Math.round(value * 1e6) / 1e6;
}

function nameOf(kernel: Kernel, label: Kernel): string | null {
  return withScope((keep) => {
    const handle = keep(new kernel.Handle_TDF_Attribute_1());
    if (!label.FindAttribute_1(kernel.TDataStd_Name.GetID(), handle)) return null;
    const text = keep(new kernel.TCollection_AsciiString_13(handle.get().Get(), 0)).ToCString() as string;
    const decoded = decodeUtf8(text).trim();
    return decoded === '' || /^=>\[/.test(decoded) ? null : decoded;
  });
}

/** The kernel hands UTF-8 bytes over as one character each. */
function decodeUtf8(text: string): string {
  if (!/^[\0-\xff]*$/.test(text)) return text;
  return new TextDecoder('utf-8').decode(Uint8Array.from(text, (c) => c.charCodeAt(0)));
}

function entryOf(label: Kernel): string {
  const tags: number[] = [];
  let at = label;
  while (!at.IsRoot()) {
    tags.push(at.Tag());
    at = at.Father();
  }
  return tags.reverse().join(':');
}

function colourOf(walk: Walk, label: Kernel): string | null {
  const { kernel, colours } = walk;
  const colour = new kernel.Quantity_Color_1();
  try {
    for (const type of ['XCAFDoc_ColorSurf', 'XCAFDoc_ColorGen']) {
      if (colours.GetColor_4(label, kernel.XCAFDoc_ColorType[type], colour)) {
        return hexOf(colour);
      }
    }
    return null;
  } finally {
    colour.delete();
  }
}

/** Linear RGB of the kernel to sRGB hex. Source: IEC 61966-2-1. */
function hexOf(colour: Kernel): string {
  const channel = (linear: number) => {
    const c = linear <= 0.0031308 ? 12.92 * linear : 1.055 * linear ** (1 / 2.4) - 0.055;
    return Math.round(Math.min(1, Math.max(0, c)) * 255)
      .toString(16)
      .padStart(2, '0');
  };
  return `#${channel(colour.Red())}${channel(colour.Green())}${channel(colour.Blue())}`;
}

function rowsOfLocation(shape: Kernel): number[] {
  const transform = shape.Location_1().Transformation();
  const rows: number[] = [];
  for (let r = 1; r <= 3; r++) for (let c = 1; c <= 4; c++) rows.push(transform.Value(r, c));
  return rows;
}
