import { Unusable } from '../base/finding.ts';
import { kernelMessage, type Kernel } from './kernel.ts';
import { placedShape } from './open-step.ts';
import { withScope } from './scope.ts';

/**
 * An IGES file (version 5.3) of exact solids as boundary representations (entities 186 to 514), each where it stands; mm.
 * @param kernel the opening one: only it writes IGES.
 * @param solids BREP text and 12 numbers of a place each, mm.
 * @throws Unusable when the kernel refuses.
 */
export function igesFile(kernel: Kernel, solids: readonly { brep: string; rows: number[] }[]): Uint8Array {
  const [source, target] = ['/solid.brep', '/solids.igs'];
  try {
    return withScope((keep) => {
      const writer = keep(new kernel.IGESControl_Writer_2('MM', 1));
      const builder = keep(new kernel.BRep_Builder());
      const known = new Map<string, Kernel>();
      for (const { brep, rows } of solids) {
        let shape = known.get(brep);
        if (!shape) {
          shape = keep(new kernel.TopoDS_Shape());
          kernel.FS.writeFile(source, brep);
          const read = kernel.BRepTools.Read_2(shape, source, builder, keep(new kernel.Message_ProgressRange_1()));
          kernel.FS.unlink(source);
          if (!read) throw new Error('a solid could not be handed over');
          known.set(brep, shape);
        }
        if (!writer.AddShape(keep(placedShape(kernel, shape, rows)), keep(new kernel.Message_ProgressRange_1()))) throw new Error('a solid was not taken');
      }
      writer.ComputeModel();
      if (!writer.Write_2(target, false)) throw new Error('the file was not written');
      const bytes = kernel.FS.readFile(target) as Uint8Array;
      kernel.FS.unlink(target);
      return bytes;
    });
  } catch (thrown) {
    throw new Unusable('iges-failed', `The IGES file could not be written (${kernelMessage(kernel, thrown)}).`, 'Write STEP instead.');
  }
}
