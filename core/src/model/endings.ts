import type { DesignFormat } from './design.ts';

/** Endings that are opened, with the format they stand for. */
export const endings: Record<string, DesignFormat> = {
  step: 'STEP',
  stp: 'STEP',
  p21: 'STEP',
  igs: 'IGES',
  iges: 'IGES',
  stl: 'STL',
  obj: 'OBJ',
  ply: 'PLY',
  '3mf': '3MF',
  off: 'OFF',
  amf: 'AMF',
  glb: 'glTF',
  gltf: 'glTF',
  dxf: 'DXF',
  svg: 'SVG',
  svgz: 'SVG',
  sizes: 'sizes',
};

/** For file pickers: every ending with its dot. */
export const acceptedEndings = Object.keys(endings)
  .map((e) => `.${e}`)
  .join(',');
