import { countText } from '../base/figures.ts';
import type { TreeNode } from '../model/design.ts';
import type { ReadChoices } from '../model/choices.ts';
import { usualChoices } from '../model/choices.ts';
import {
  heldDepth,
  heldNodes,
  heldOccurrences,
  leftOutFindings,
  looseFindings,
  namedFrom,
  nameless,
  noSolids,
  rounded,
  sewShares,
  solidsLeftOut,
  type OpenedStep,
  type OpenSurface,
  type SolidPart,
} from '../model/opened.ts';
import { Unusable, type Finding } from '../base/finding.ts';
import type { Box } from '../geometry/box.ts';
import { determinantOf, identityRows, timesRows } from '../geometry/rows.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import { withScope } from './scope.ts';

interface Walk {
  kernel: Kernel;
  colours: Kernel;
  byKey: Map<string, number>;
  parts: SolidPart[];
  choices: ReadChoices;
  /** Faces of no solid, at their places. */
  loose: Kernel[];
  curves: number;
  points: number;
  occurrences: number;
  nodes: number;
  failed: number;
  healed: number;
  unsound: number;
  sewn: number;
  /** How far apart edges were that were sewn, at most, mm. */
  sewnWithin: number;
  solidsLeft: number;
}

/**
 * Opens a STEP or IGES file: tree, names, colours, and one part per different solid in its own coordinates with its places.
 * Faces that belong to no solid are sewn; what closes becomes a solid. Numbers come as mm whatever the file's unit.
 * @throws Unusable when the kernel finds nothing that it can read.
 */
export function openStep(kernel: Kernel, bytes: Uint8Array, choices: ReadChoices = usualChoices, kind: 'STEP' | 'IGES' = 'STEP'): OpenedStep {
  const file = kind === 'STEP' ? '/design.stp' : '/design.igs';
  kernel.FS.writeFile(file, bytes);
  try {
    return withScope((keep) => {
      const document = readDocument(kernel, file, kind, keep);
      const shapes = keep(kernel.XCAFDoc_DocumentTool.ShapeTool(document.Main())).get();
      const colours = keep(kernel.XCAFDoc_DocumentTool.ColorTool(document.Main())).get();
      const free = keep(new kernel.TDF_LabelSequence_1());
      shapes.GetFreeShapes(free);
      const walk: Walk = {
        kernel,
        colours,
        choices,
        byKey: new Map(),
        parts: [],
        loose: [],
        curves: 0,
        points: 0,
        occurrences: 0,
        nodes: 0,
        failed: 0,
        healed: 0,
        unsound: 0,
        sewn: 0,
        sewnWithin: 0,
        solidsLeft: 0,
      };
      const tree: TreeNode[] = [];
      for (let i = 1; i <= free.Length(); i++) tree.push(visit(walk, free.Value(i), { above: [], place: identityRows, depth: 0, inherited: null }));
      const surfaces = sewLoose(walk, tree);
      return { tree, parts: walk.parts, surfaces, findings: oddities(walk, surfaces.length) };
    });
  } finally {
    kernel.FS.unlink(file);
  }
}

function oddities(walk: Walk, surfaces: number): Finding[] {
  const findings: Finding[] = [];
  const push = (code: string, severity: Finding['severity'], count: number, [message, remedy]: readonly [message: string, remedy: string]) => {
    if (count > 0) findings.push({ code, severity, count, message, remedy });
  };
  findings.push(...looseFindings({ faces: walk.loose.length, taken: walk.choices.surfaces, sewn: walk.sewn, within: walk.sewnWithin, open: surfaces }));
  findings.push(...solidsLeftOut(walk.solidsLeft));
  findings.push(...leftOutFindings({ curves: walk.curves, points: walk.points, notes: 0 }));
  push('healed', 'look', walk.healed, [`${countText(walk.healed)} solids failed the check of their geometry and were healed.`, 'Check size and holes once.']);
  push('unsound-solids', walk.choices.bad === 'leave' ? 'look' : 'stop', walk.unsound, [
    `${countText(walk.unsound)} solids fail the check of their geometry${walk.choices.bad === 'leave' ? ' and were left out, as chosen' : ''}.`,
    'Heal them in the program that made them, and export again.',
  ]);
  push('solids-unreadable', 'stop', walk.failed, [
    `${countText(walk.failed)} solids could not be read and were left out.`,
    'Heal them in the program that made them, and export again.',
  ]);
  if (walk.parts.length === 0) findings.push(noSolids(surfaces > 0));
  return findings;
}

/** Sews the faces that belong to no solid. What closes joins the parts; the rest is given back as open surfaces. */
function sewLoose(walk: Walk, tree: TreeNode[]): OpenSurface[] {
  const { kernel, loose, choices } = walk;
  if (loose.length === 0 || !choices.surfaces) return [];
  const open: OpenSurface[] = [];
  withScope((keep) => {
    const diagonal = spanOf(kernel, loose);
    let shells: Kernel[] = [];
    let sewed: Kernel = null;
    for (const share of sewShares) {
      walk.sewnWithin = diagonal * share;
      const sewing = keep(new kernel.BRepBuilderAPI_Sewing(walk.sewnWithin, true, true, true, false));
      for (const face of loose) sewing.Add(face);
      sewing.Perform(keep(new kernel.Message_ProgressRange_1()));
      sewed = sewing.SewedShape();
      shells = explored(kernel, sewed, 'TopAbs_SHELL', 'TopAbs_SOLID');
      if (shells.length > 0 && shells.every((shell) => kernel.BRep_Tool.IsClosed_1(shell))) break;
    }
    for (const shell of shells) {
      if (kernel.BRep_Tool.IsClosed_1(shell)) {
        const solid = keep(new kernel.ShapeFix_Solid_1()).SolidFromShell(kernel.TopoDS.Shell_1(shell));
        const figures = solidFigures(kernel, solid);
        if (figures.volume > 0) {
          walk.sewn++;
          const index =
            walk.parts.push({
              ...figures,
              name: nameless,
              path: [nameless],
              quantity: 1,
              colour: null,
              places: [identityRows],
              above: [[]],
              sewnWithin: walk.sewnWithin,
            }) - 1;
          tree.push({ name: nameless, colour: null, parts: [index], children: [] });
          continue;
        }
      }
      open.push({
        name: null,
        brep: brepOf(kernel, shell),
        faces: explored(kernel, shell, 'TopAbs_FACE', 'TopAbs_SHAPE').length,
        span: spanOf(kernel, [shell]),
      });
    }
    for (const face of explored(kernel, sewed, 'TopAbs_FACE', 'TopAbs_SHELL'))
      open.push({ name: null, brep: brepOf(kernel, face), faces: 1, span: spanOf(kernel, [face]) });
  });
  return open;
}

/** Diagonal of the box round some shapes, mm. */
function spanOf(kernel: Kernel, shapes: readonly Kernel[]): number {
  return withScope((keep) => {
    const box = keep(new kernel.Bnd_Box_1());
    for (const shape of shapes) kernel.BRepBndLib.Add(shape, box, false);
    const [low, high] = [keep(box.CornerMin()), keep(box.CornerMax())];
    return Math.hypot(high.X() - low.X(), high.Y() - low.Y(), high.Z() - low.Z());
  });
}

function brepOf(kernel: Kernel, shape: Kernel): string {
  return withScope((keep) => {
    const file = '/part.brep';
    kernel.BRepTools.Write_3(shape, file, keep(new kernel.Message_ProgressRange_1()));
    const brep = kernel.FS.readFile(file, { encoding: 'utf8' }) as string;
    kernel.FS.unlink(file);
    return brep;
  });
}

function readDocument(kernel: Kernel, file: string, kind: 'STEP' | 'IGES', keep: <K>(o: K) => K): Kernel {
  const reader = keep(kind === 'STEP' ? new kernel.STEPCAFControl_Reader_1() : new kernel.IGESCAFControl_Reader_1());
  const document = new kernel.TDocStd_Document(keep(new kernel.TCollection_ExtendedString_1()));
  try {
    reader.SetNameMode(true);
    reader.SetColorMode(true);
    const status = reader.ReadFile(file);
    if (status !== kernel.IFSelect_ReturnStatus.IFSelect_RetDone)
      throw new Error(`it is not ${kind === 'STEP' ? 'a STEP' : 'an IGES'} file that can be parsed`);
    const handle = keep(new kernel.Handle_TDocStd_Document_2(document));
    const progress = keep(new kernel.Message_ProgressRange_1());
    const done = kind === 'STEP' ? reader.Transfer_1(handle, progress) : reader.Transfer(handle, progress);
    if (!done) throw new Error('nothing in it could be turned into geometry');
  } catch (thrown) {
    throw new Unusable(
      kind === 'STEP' ? 'step-unreadable' : 'iges-unreadable',
      `The ${kind} file could not be opened: ${kernelMessage(kernel, thrown)}.`,
      kind === 'STEP' ? 'Export it again, as AP214 if there is a choice.' : 'Export it again, as STEP if there is a choice.',
    );
  }
  return document;
}

/** Where a label stands: the names above it, its place, how deep, and the colour of what holds it. */
interface Under {
  above: string[];
  place: number[];
  depth: number;
  inherited: string | null;
}

function visit(walk: Walk, label: Kernel, { above, place, depth, inherited }: Under): TreeNode {
  const { kernel } = walk;
  const tool = kernel.XCAFDoc_ShapeTool;
  heldDepth(depth);
  heldNodes(++walk.nodes);
  let target = label;
  let here = place;
  if (tool.IsReference(label)) {
    target = new kernel.TDF_Label();
    tool.GetReferredShape(label, target);
    here = timesRows(place, rowsOfLocation(tool.GetShape_2(label)));
  }
  const instance = nameOf(kernel, label);
  const own = namedFrom(nameOf(kernel, target), instance);
  const colour = colourOf(walk, label) ?? colourOf(walk, target) ?? inherited;
  const node: TreeNode = { name: instance ?? own, colour, parts: [], children: [] };
  const path = [...above, own];
  if (tool.IsAssembly(target)) {
    const components = new kernel.TDF_LabelSequence_1();
    tool.GetComponents(target, components, false);
    for (let i = 1; i <= components.Length(); i++)
      node.children.push(visit(walk, components.Value(i), { above: path, place: here, depth: depth + 1, inherited: colour }));
    components.delete();
    return node;
  }
  node.parts = solidsOf(walk, target, { path, place: here, colour });
  return node;
}

/** The solids below a simple shape: each is a part, or one more of a part met before. */
function solidsOf(walk: Walk, label: Kernel, { path, place, colour }: { path: string[]; place: number[]; colour: string | null }): number[] {
  const { kernel } = walk;
  const shape = kernel.XCAFDoc_ShapeTool.GetShape_2(label);
  const solids = explored(kernel, shape, 'TopAbs_SOLID', 'TopAbs_SHAPE');
  for (const face of explored(kernel, shape, 'TopAbs_FACE', 'TopAbs_SOLID')) walk.loose.push(placedShape(kernel, face, place));
  walk.curves += explored(kernel, shape, 'TopAbs_EDGE', 'TopAbs_FACE').length;
  walk.points += explored(kernel, shape, 'TopAbs_VERTEX', 'TopAbs_EDGE').length;
  if (!walk.choices.solids) {
    walk.solidsLeft += solids.length;
    return [];
  }
  const mirrored = determinantOf(place) < 0;
  const found: number[] = [];
  for (const [i, given] of solids.entries()) {
    heldOccurrences(++walk.occurrences);
    const key = `${entryOf(label)}#${i}${mirrored ? 'm' : ''}`;
    const known = walk.byKey.get(key);
    if (known !== undefined) {
      walk.parts[known].quantity++;
      walk.parts[known].places.push(place);
      walk.parts[known].above.push(path.slice(0, -1));
      found.push(known);
      continue;
    }
    const own = path[path.length - 1];
    const name = `${own}${solids.length > 1 ? ` ${i + 1}` : ''}${mirrored ? ' (mirrored)' : ''}`;
    const solid = soundSolid(walk, given, name);
    if (!solid) continue;
    const index = walk.parts.length;
    walk.parts.push({
      ...solidFigures(kernel, solid),
      name,
      path: [...path.slice(0, -1), name],
      quantity: 1,
      colour,
      places: [place],
      above: [path.slice(0, -1)],
    });
    walk.byKey.set(key, index);
    found.push(index);
  }
  return found;
}

/** The solid itself when it passes the kernel's check; healed, left out (null) or refused as chosen otherwise. */
function soundSolid(walk: Walk, solid: Kernel, name: string): Kernel | null {
  const { kernel, choices } = walk;
  if (isSound(kernel, solid)) return solid;
  if (choices.heal) {
    try {
      const fix = new kernel.ShapeFix_Shape_2(solid);
      fix.Perform(new kernel.Message_ProgressRange_1());
      const [healed] = explored(kernel, fix.Shape(), 'TopAbs_SOLID', 'TopAbs_SHAPE');
      if (healed && isSound(kernel, healed)) {
        walk.healed++;
        return healed;
      }
    } catch {
      // Healing gave up; the solid is treated as it came.
    }
  }
  if (choices.bad === 'stop') {
    throw new Unusable(
      'unsound-solid',
      `The solid "${name}" fails the check of its geometry, and nothing is read then, as chosen.`,
      'Choose to keep or leave out bad entities, or heal it in the program that made it.',
    );
  }
  walk.unsound++;
  return choices.bad === 'leave' ? null : solid;
}

function isSound(kernel: Kernel, solid: Kernel): boolean {
  return withScope((keep) => keep(new kernel.BRepCheck_Analyzer(solid, true, false)).IsValid_2() as boolean);
}

/** A shape at a place (12 numbers, mm). */
export function placedShape(kernel: Kernel, shape: Kernel, place: number[]): Kernel {
  if (place.every((v, i) => v === identityRows[i])) return shape;
  return withScope((keep) => {
    const transform = keep(new kernel.gp_Trsf_1());
    transform.SetValues(...place);
    return shape.Moved(keep(new kernel.TopLoc_Location_2(transform)), false);
  });
}

function explored(kernel: Kernel, shape: Kernel, find: string, avoid: string): Kernel[] {
  const found: Kernel[] = [];
  const explorer = new kernel.TopExp_Explorer_2(shape, kernel.TopAbs_ShapeEnum[find], kernel.TopAbs_ShapeEnum[avoid]);
  for (; explorer.More(); explorer.Next()) found.push(explorer.Current());
  explorer.delete();
  return found;
}

/** The kernel halves its steps until its sums change less than this; without it they are wrong by up to a hundredth on free faces. */
const settled = 1e-8;

function solidFigures(kernel: Kernel, solid: Kernel): Pick<SolidPart, 'brep' | 'box' | 'volume' | 'area' | 'centre' | 'faces' | 'shells'> {
  return withScope((keep) => {
    const brep = brepOf(kernel, solid);
    const volume = keep(new kernel.GProp_GProps_1());
    kernel.BRepGProp.VolumeProperties_2(solid, volume, settled, false, false);
    const centre = keep(volume.CentreOfMass());
    const area = keep(new kernel.GProp_GProps_1());
    kernel.BRepGProp.SurfaceProperties_2(solid, area, settled, false);
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
