import { packDrawing, unpackDrawing } from '../curves/drawing.ts';
import { packMesh, unpackMesh } from '../geometry/mesh.ts';
import type { Geometry } from './design.ts';

/** A part's geometry as bytes: what the store keeps, and what tells one shape from another by its hash. */
export function packGeometry(geometry: Geometry): Uint8Array {
  switch (geometry.kind) {
    case 'solid':
      return new TextEncoder().encode(geometry.brep);
    case 'mesh':
      return packMesh(geometry.mesh);
    case 'drawing':
      return packDrawing(geometry.drawing);
  }
}

/** The geometry of a part of this kind from its bytes. @throws RangeError when they are no mesh. */
export function unpackGeometry(kind: Geometry['kind'], bytes: Uint8Array): Geometry {
  switch (kind) {
    case 'solid':
      return { kind, brep: new TextDecoder().decode(bytes) };
    case 'mesh':
      return { kind, mesh: unpackMesh(bytes) };
    case 'drawing':
      return { kind, drawing: unpackDrawing(bytes) };
  }
}
