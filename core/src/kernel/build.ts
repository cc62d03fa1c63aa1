import { Unusable } from '../base/finding.ts';
import { kernelMessage, type Kernel } from './kernel.ts';

type P3 = readonly [number, number, number];
type P2 = readonly [number, number];

/** A piece of a closed profile in the x-z half plane: a line to a point, or an arc through a point to another. */
export type ProfileStep = { to: P2; through?: P2 };

/** A part of an assembly to be written: shape, name, colour (sRGB, #rrggbb) and where copies of it stand (mm). */
export interface NamedPart {
  name: string;
  colour: string;
  shape: Solid;
  places: P3[];
}

/** A sub-assembly to be written: what hangs in it, and which shapes stand where (12 numbers each, mm). */
export interface AssemblyNode {
  name: string;
  children: AssemblyNode[];
  parts: { index: number; rows: number[] }[];
}

/** The colour that the kernel gives to what has none of its own. */
export const plainColour = '#b0b0b0';

/** A solid while it is built. */
export interface Solid {
  readonly shape: Kernel;
}

/**
 * Builds solids from simple pieces: for the demo's designs and for checks against known volumes. Lengths in mm, angles in rad.
 */
export class SolidBuilder {
  private readonly k: Kernel;
  constructor(kernel: Kernel) {
    this.k = kernel;
  }

  box(at: P3, size: P3): Solid {
    const k = this.k;
    return { shape: new k.BRepPrimAPI_MakeBox(new k.gp_Pnt(...at), ...size).Shape() };
  }

  cylinder(at: P3, axis: P3, r: number, height: number): Solid {
    const k = this.k;
    return { shape: new k.BRepPrimAPI_MakeCylinder(this.axes(at, axis), r, height).Shape() };
  }

  sphere(at: P3, r: number): Solid {
    const k = this.k;
    return { shape: new k.BRepPrimAPI_MakeSphere(new k.gp_Pnt(...at), r).Shape() };
  }

  torus(at: P3, axis: P3, major: number, minor: number): Solid {
    return { shape: new this.k.BRepPrimAPI_MakeTorus(this.axes(at, axis), major, minor).Shape() };
  }

  /** A profile (x = radius, z = height) turned about the z axis. The last step must lead back to `from`. */
  revolved(from: P2, steps: ProfileStep[]): Solid {
    const k = this.k;
    const face = this.profileFace(from, steps, (p) => new k.gp_Pnt(p[0], 0, p[1]));
    const axis = new k.gp_Ax1(new k.gp_Pnt(0, 0, 0), new k.gp_Dir(0, 0, 1));
    return { shape: new k.BRepPrimAPI_MakeRevol(face, axis).Shape() };
  }

  /** A profile in the x-y plane raised along z. */
  raised(from: P2, steps: ProfileStep[], height: number, z = 0): Solid {
    const k = this.k;
    const face = this.profileFace(from, steps, (p) => new k.gp_Pnt(p[0], p[1], z));
    return { shape: new k.BRepPrimAPI_MakePrism(face, new k.gp_Vec(0, 0, height)).Shape() };
  }

  /** A smooth solid through closed rings of points, one ring a height: its side is one B-spline face. */
  lofted(rings: P3[][]): Solid {
    const k = this.k;
    const loft = new k.BRepOffsetAPI_ThruSections(true, false, 1e-6);
    for (const ring of rings) {
      const wire = new k.BRepBuilderAPI_MakeWire();
      for (let i = 0; i < ring.length; i++) {
        wire.Add(new k.BRepBuilderAPI_MakeEdge(new k.gp_Pnt(...ring[i]), new k.gp_Pnt(...ring[(i + 1) % ring.length])).Edge());
      }
      loft.AddWire(wire.Wire());
    }
    loft.Build(new k.Message_ProgressRange());
    return { shape: loft.Shape() };
  }

  joined(a: Solid, b: Solid): Solid {
    return this.combined('BRepAlgoAPI_Fuse', a, b);
  }

  cut(a: Solid, ...others: Solid[]): Solid {
    return others.reduce((left, b) => this.combined('BRepAlgoAPI_Cut', left, b), a);
  }

  common(a: Solid, b: Solid): Solid {
    return this.combined('BRepAlgoAPI_Common', a, b);
  }

  /** Several solids as one tool: cut away at once, many times faster than one by one. They must not overlap. */
  group(solids: readonly Solid[]): Solid {
    const k = this.k;
    const maker = new k.TopoDS_Builder();
    const compound = new k.TopoDS_Compound();
    maker.MakeCompound(compound);
    for (const s of solids) maker.Add(compound, s.shape);
    return { shape: compound };
  }

  moved(a: Solid, by: P3): Solid {
    return { shape: a.shape.Moved(this.place(by), false) };
  }

  /** Rounds the edges whose middle the test picks (all of them when there is no test). @throws Unusable when it fails. */
  rounded(a: Solid, r: number, pick: (middle: P3) => boolean = () => true): Solid {
    const k = this.k;
    return this.guarded('rounding', () => {
      const fillet = new k.BRepFilletAPI_MakeFillet(a.shape);
      const done = new Set<number>();
      const explorer = new k.TopExp_Explorer(a.shape, k.TopAbs_ShapeEnum.TopAbs_EDGE, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
      for (; explorer.More(); explorer.Next()) {
        const edge = k.TopoDS.Edge(explorer.Current());
        const hash = k.ReplicadShapeHasher.HashCode(edge, 2147483647);
        if (done.has(hash)) continue;
        done.add(hash);
        const curve = new k.BRepAdaptor_Curve(edge);
        const p = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2);
        if (pick([p.X(), p.Y(), p.Z()])) fillet.Add(r, edge);
      }
      fillet.Build(new k.Message_ProgressRange());
      return { shape: fillet.Shape() };
    });
  }

  /** Hollows a solid to a wall; faces whose centre the test picks are left open. */
  shelled(a: Solid, wall: number, open: (centre: P3) => boolean): Solid {
    const k = this.k;
    return this.guarded('hollowing', () => {
      const faces = new k.NCollection_List_TopoDS_Shape();
      const explorer = new k.TopExp_Explorer(a.shape, k.TopAbs_ShapeEnum.TopAbs_FACE, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
      for (; explorer.More(); explorer.Next()) {
        const properties = new k.GProp_GProps();
        k.BRepGProp.SurfaceProperties(explorer.Current(), properties, false, false);
        const c = properties.CentreOfMass();
        if (open([c.X(), c.Y(), c.Z()])) faces.Append(explorer.Current());
      }
      const shell = new k.BRepOffsetAPI_MakeThickSolid();
      shell.MakeThickSolidByJoin(
        a.shape,
        faces,
        -wall,
        1e-4,
        k.BRepOffset_Mode.BRepOffset_Skin,
        false,
        false,
        k.GeomAbs_JoinType.GeomAbs_Arc,
        false,
        new k.Message_ProgressRange(),
      );
      return { shape: shell.Shape() };
    });
  }

  /** A solid from its BREP text. */
  fromBrep(text: string): Solid {
    return this.guarded('reading a solid', () => ({ shape: this.k.BRepToolsWrapper.Read(text) }));
  }

  /** A copy turned, scaled (evenly) and shifted: 12 numbers, rows of a 3 x 3 part and a shift (mm). A mirrored one may be asked for. */
  placed(a: Solid, rows: readonly number[]): Solid {
    const k = this.k;
    return this.guarded('moving', () => {
      const transform = new k.gp_Trsf();
      transform.SetValues(...rows);
      return { shape: new k.BRepBuilderAPI_Transform(a.shape, transform, true, false).Shape() };
    });
  }

  /** BREP text of a solid, as the rest of the core takes it. */
  brep(a: Solid): string {
    return this.k.BRepToolsWrapper.Write(a.shape);
  }

  /** A STEP file (AP214) of named, coloured parts under one assembly; a single part standing at the origin comes without one. */
  step(assembly: string, parts: NamedPart[], unit: 'MM' | 'CM' | 'M' | 'INCH' | 'FT' = 'MM'): Uint8Array {
    const k = this.k;
    return this.guarded('writing STEP', () => {
      const document = new k.TDocStd_Document(new k.TCollection_ExtendedString('XmlXCAF', false));
      const shapes = k.XCAFDoc_DocumentTool.ShapeTool(document.Main());
      const colours = k.XCAFDoc_DocumentTool.ColorTool(document.Main());
      const name = (label: Kernel, text: string) => k.TDataStd_Name.Set(label, new k.TCollection_ExtendedString(text, true));
      const single = parts.length === 1 && parts[0].places.length === 1;
      const top = single ? null : shapes.NewShape();
      if (top) name(top, assembly);
      for (const part of parts) {
        const label = shapes.AddShape(part.shape.shape, false, false);
        name(label, part.name);
        const colour = new k.Quantity_Color();
        k.Quantity_Color.ColorFromHex(part.colour, colour);
        colours.SetColor(label, colour, k.XCAFDoc_ColorType.XCAFDoc_ColorSurf);
        if (top) for (const at of part.places) shapes.AddComponent(top, label, this.place(at));
      }
      return this.stepBytes(document, shapes, unit);
    });
  }

  private stepBytes(document: Kernel, shapes: Kernel, unit: string): Uint8Array {
    const k = this.k;
    shapes.UpdateAssemblies();
    const writer = new k.STEPCAFControl_Writer();
    k.Interface_Static.SetCVal('write.step.unit', unit);
    k.Interface_Static.SetCVal('write.step.schema', 'AP214IS');
    writer.SetColorMode(true);
    writer.SetNameMode(true);
    writer.Perform(document, '/out.step', new k.Message_ProgressRange());
    const bytes = k.FS.readFile('/out.step') as Uint8Array;
    k.FS.unlink('/out.step');
    return steady(bytes);
  }

  /** A STEP file (AP214) of a tree of assemblies; each shape is written once, however often it stands somewhere. */
  assembly(root: AssemblyNode, parts: readonly { name: string; colour: string; shape: Solid }[]): Uint8Array {
    const k = this.k;
    return this.guarded('writing STEP', () => {
      const document = new k.TDocStd_Document(new k.TCollection_ExtendedString('XmlXCAF', false));
      const shapes = k.XCAFDoc_DocumentTool.ShapeTool(document.Main());
      const colours = k.XCAFDoc_DocumentTool.ColorTool(document.Main());
      const name = (label: Kernel, text: string) => k.TDataStd_Name.Set(label, new k.TCollection_ExtendedString(text, true));
      const labels = parts.map((part) => {
        const label = shapes.AddShape(part.shape.shape, false, false);
        name(label, part.name);
        const colour = new k.Quantity_Color();
        k.Quantity_Color.ColorFromHex(part.colour, colour);
        colours.SetColor(label, colour, k.XCAFDoc_ColorType.XCAFDoc_ColorSurf);
        return label;
      });
      const make = (node: AssemblyNode): Kernel => {
        const label = shapes.NewShape();
        name(label, node.name);
        for (const child of node.children) name(shapes.AddComponent(label, make(child), this.location([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0])), child.name);
        for (const { index, rows } of node.parts) name(shapes.AddComponent(label, labels[index], this.location(rows)), parts[index].name);
        return label;
      };
      make(root);
      return this.stepBytes(document, shapes, 'MM');
    });
  }

  private location(rows: readonly number[]): Kernel {
    const k = this.k;
    const transform = new k.gp_Trsf();
    transform.SetValues(...rows);
    return new k.TopLoc_Location(transform);
  }

  private profileFace(from: P2, steps: ProfileStep[], put: (p: P2) => Kernel): Kernel {
    const k = this.k;
    const wire = new k.BRepBuilderAPI_MakeWire();
    let at = from;
    for (const step of steps) {
      const edge = step.through
        ? new k.BRepBuilderAPI_MakeEdge(new k.GC_MakeArcOfCircle(put(at), put(step.through), put(step.to)).Value())
        : new k.BRepBuilderAPI_MakeEdge(put(at), put(step.to));
      wire.Add(edge.Edge());
      at = step.to;
    }
    return new k.BRepBuilderAPI_MakeFace(wire.Wire(), true).Face();
  }

  private combined(algorithm: string, a: Solid, b: Solid): Solid {
    const k = this.k;
    return this.guarded('combining', () => ({ shape: new k[algorithm](a.shape, b.shape, new k.Message_ProgressRange()).Shape() }));
  }

  private axes(at: P3, axis: P3): Kernel {
    const k = this.k;
    return new k.gp_Ax2(new k.gp_Pnt(...at), new k.gp_Dir(...axis));
  }

  private place(by: P3): Kernel {
    const k = this.k;
    const transform = new k.gp_Trsf();
    transform.SetTranslation(new k.gp_Vec(...by));
    return new k.TopLoc_Location(transform);
  }

  private guarded<T>(what: string, work: () => T): T {
    try {
      return work();
    } catch (thrown) {
      throw new Unusable('build-failed', `The kernel failed at ${what} (${kernelMessage(this.k, thrown)}).`, 'Try other sizes.');
    }
  }
}

/** STEP bytes without the time that the kernel writes and with its running numbers begun anew, so that equal inputs give equal bytes. */
function steady(bytes: Uint8Array): Uint8Array {
  let occurrence = 0;
  const text = new TextDecoder()
    .decode(bytes)
    .replace(/(FILE_NAME\('(?:[^']|'')*',')[^']*'/, "$1'")
    .replace(/NEXT_ASSEMBLY_USAGE_OCCURRENCE\('\d+'/g, () => `NEXT_ASSEMBLY_USAGE_OCCURRENCE('${++occurrence}'`);
  return new TextEncoder().encode(text);
}
