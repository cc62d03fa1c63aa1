import { Unusable } from '../base/finding.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import type { Solid } from './build.ts';

type P3 = readonly [number, number, number];

/** One side of a section: a line, an arc through a middle point, or a whole circle. Points in mm, where the piece begins. */
export type SectionEdge = { from: P3; to: P3 } | { from: P3; middle: P3; to: P3 } | { centre: P3; normal: P3; x: P3; r: number };

/** How a section goes on: along a vector (mm), or about an axis (rad). */
export type SectionMove = { by: P3 } | { at: P3; axis: P3; angle: number };

/** A stretch of tube without corners: outlines where each piece begins, its moves, and planes that cut its ends off. */
export interface TubeStretch {
  /** For each piece the outlines (outside, then the hole's) where it begins; one more for the end. */
  outlines: SectionEdge[][][];
  moves: SectionMove[];
  /** Material beyond these planes is cut off: a point and the direction out. */
  cuts: { at: P3; out: P3 }[];
  /** Larger than everything, mm. */
  reach: number;
}

/** Sides nearer than this are sewn together, mm. */
const sewn = 1e-6;

/**
 * A tube as an exact solid: every side of the section is moved or turned, so that its surfaces are planes, cylinders and tori and nothing else.
 * Stretches that meet in corners are joined.
 * @throws Unusable when the kernel can't make one of them
 * @example tubeSolid(kernel, stretches)
 */
export function tubeSolid(k: Kernel, stretches: readonly TubeStretch[]): Solid {
  try {
    let whole: Kernel = null;
    for (const stretch of stretches) {
      const shape = stretchOf(k, stretch);
      whole = whole ? new k.BRepAlgoAPI_Fuse(whole, shape, new k.Message_ProgressRange()).Shape() : shape;
    }
    return { shape: whole };
  } catch (thrown) {
    if (thrown instanceof Unusable) throw thrown;
    throw new Unusable(
      'build-failed',
      `The kernel failed at building the tube (${kernelMessage(k, thrown)}).`,
      'Check that no bend is tighter than the tube is wide.',
    );
  }
}

function stretchOf(k: Kernel, { outlines, moves, cuts, reach }: TubeStretch): Kernel {
  const sewing = new k.BRepBuilderAPI_Sewing(sewn, true, true, true, false);
  moves.forEach((move, i) => {
    for (const edge of outlines[i].flat()) sewing.Add(swept(k, edgeOf(k, edge), move));
  });
  for (const end of [outlines[0], outlines[outlines.length - 1]]) sewing.Add(capOf(k, end));
  sewing.Perform(new k.Message_ProgressRange());
  const shell = new k.TopExp_Explorer(sewing.SewedShape(), k.TopAbs_ShapeEnum.TopAbs_SHELL, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
  if (!shell.More())
    throw new Unusable('build-failed', 'The sides of the tube do not close.', 'Check the section: its wall must be thinner than half of its width.');
  const solid = new k.BRepBuilderAPI_MakeSolid(k.TopoDS.Shell(shell.Current())).Solid();
  k.BRepLib.OrientClosedSolid(solid);
  let shape = solid;
  for (const { at, out } of cuts) {
    const corner: P3 = [0, 1, 2].map((a) => at[a]) as unknown as P3;
    const axes = new k.gp_Ax2(new k.gp_Pnt(...corner), new k.gp_Dir(...out));
    const x = axes.XDirection();
    const y = axes.YDirection();
    const from = [at[0] - (x.X() + y.X()) * reach, at[1] - (x.Y() + y.Y()) * reach, at[2] - (x.Z() + y.Z()) * reach];
    const box = new k.BRepPrimAPI_MakeBox(new k.gp_Ax2(new k.gp_Pnt(...from), new k.gp_Dir(...out), x), 2 * reach, 2 * reach, reach).Shape();
    shape = new k.BRepAlgoAPI_Cut(shape, box, new k.Message_ProgressRange()).Shape();
  }
  return shape;
}

function edgeOf(k: Kernel, edge: SectionEdge): Kernel {
  if ('r' in edge) {
    const axes = new k.gp_Ax2(new k.gp_Pnt(...edge.centre), new k.gp_Dir(...edge.normal), new k.gp_Dir(...edge.x));
    return new k.BRepBuilderAPI_MakeEdge(new k.gp_Circ(axes, edge.r)).Edge();
  }
  const [from, to] = [new k.gp_Pnt(...edge.from), new k.gp_Pnt(...edge.to)];
  if (!('middle' in edge)) return new k.BRepBuilderAPI_MakeEdge(from, to).Edge();
  return new k.BRepBuilderAPI_MakeEdge(new k.GC_MakeArcOfCircle(from, new k.gp_Pnt(...edge.middle), to).Value()).Edge();
}

function swept(k: Kernel, edge: Kernel, move: SectionMove): Kernel {
  if ('by' in move) return new k.BRepPrimAPI_MakePrism(edge, new k.gp_Vec(...move.by), false, true).Shape();
  const axis = new k.gp_Ax1(new k.gp_Pnt(...move.at), new k.gp_Dir(...move.axis));
  return new k.BRepPrimAPI_MakeRevol(edge, axis, move.angle, false).Shape();
}

function capOf(k: Kernel, outlines: readonly SectionEdge[][]): Kernel {
  const wireOf = (edges: readonly SectionEdge[]) => {
    const wire = new k.BRepBuilderAPI_MakeWire();
    for (const e of edges) wire.Add(edgeOf(k, e));
    return wire.Wire();
  };
  const face = new k.BRepBuilderAPI_MakeFace(wireOf(outlines[0]), true);
  if (outlines.length > 1) face.Add(k.TopoDS.Wire(wireOf(outlines[1]).Reversed()));
  return face.Face();
}

/** Volume, area and the kinds of surface of a solid, as the kernel measures them. mm3 and mm2. */
export function measuredSolid(k: Kernel, solid: Solid): { volume: number; area: number } {
  const volume = new k.GProp_GProps();
  k.BRepGProp.VolumeProperties(solid.shape, volume, false, false, false);
  const area = new k.GProp_GProps();
  k.BRepGProp.SurfaceProperties(solid.shape, area, false, false);
  return { volume: volume.Mass(), area: area.Mass() };
}
