/** A claim of the evidence in words: what it compares, and how near both routes must come. */
export interface ClaimInWords {
  /** As it is called in the evidence; several that are alike stand together. */
  names: readonly string[];
  of: string;
  tolerance: string;
}

/** Every claim that evidence can hold, for the pages of help and docs. A test finds each name that the code uses here. */
export const claimsInWords: readonly ClaimInWords[] = [
  {
    names: ['Length X', 'Width Y', 'Height Z'],
    of: 'solids and meshes; drawings have Width X and Height Y',
    tolerance: 'the deviation at both ends, and what float32 rounds at that distance from zero',
  },
  { names: ['Volume'], of: 'closed solids and meshes', tolerance: 'what the facets were measured to lose, and rounding' },
  {
    names: ['Area'],
    of: 'solids, meshes, drawings',
    tolerance: 'what the facets were measured to lose, and rounding; of drawings the length times the rounding',
  },
  { names: ['Closed'], of: 'solids and meshes', tolerance: 'the same' },
  { names: ['Shells', 'Voids inside', 'Through holes'], of: 'solids and meshes', tolerance: 'the same count' },
  { names: ['Deviation'], of: 'facets against exact surfaces; curves received against those meant', tolerance: 'at most what was promised' },
  {
    names: ['Deviation, design to file'],
    of: 'points of the exact surfaces against the facets received',
    tolerance: 'at most what was promised, and how near the points lie',
  },
  { names: ['Triangles'], of: 'meshes', tolerance: 'at most what the receiver takes; of several parts the same count' },
  { names: ['Faces'], of: 'exact files (STEP)', tolerance: 'the same count' },
  { names: ['Place of surfaces'], of: 'exact files (STEP)', tolerance: 'at most the facets that both sides are compared by, 0.06 mm and the deviation' },
  {
    names: ['Side down'],
    of: 'solids and meshes',
    tolerance: 'the same side: centre and inertia agree within twice the deviation and a hundred-thousandth of the diagonal',
  },
  { names: ['Unit', 'Name'], of: '3MF', tolerance: 'the same' },
  { names: ['File length'], of: 'binary STL', tolerance: '84 bytes and 50 a triangle, to the byte' },
  { names: ['Contours', 'Open contours', 'Holes'], of: 'drawings', tolerance: 'the same count' },
  { names: ['Length'], of: 'drawings', tolerance: 'the rounding of the file’s numbers at every piece' },
  { names: ['Circles, diameters'], of: 'drawings', tolerance: 'each the same, within the rounding of the file’s numbers' },
  {
    names: ['Lines', 'Arcs and circles', 'Ellipses', 'Béziers', 'Splines'],
    of: 'drawings',
    tolerance: 'the same count; of curves a look when another kind came',
  },
  {
    names: ['Layers', 'Contours by colour', 'Colours of layers'],
    of: 'drawings; pages have colours',
    tolerance: 'the same names with the same counts; another colour is a look',
  },
  { names: ['Depths'], of: 'drawings for a router, where layers name a depth', tolerance: 'the same, as read out of the names in the file' },
  { names: ['Texts'], of: 'drawings with text', tolerance: 'each the same, else a look' },
  {
    names: ['Distance to the picture'],
    of: 'drawings made of a picture, while nothing moves their contours',
    tolerance: 'at most how far the contours lay off the picture’s edge when they were made, the deviation, and rounding',
  },
  {
    names: ['Laid back on the surface'],
    of: 'spread surfaces',
    tolerance: 'how near lines were fitted, and twice how far the border bends between points of the facets',
  },
  { names: ['Two sides of a seam', 'Seams to the surface'], of: 'spread surfaces', tolerance: '0.01 mm and four times rounding' },
  { names: ['Stretch along the border, beyond what is stated'], of: 'spread surfaces', tolerance: 'what fitting may shift an edge by, at least 0.0001' },
  { names: ['Area of the pieces'], of: 'spread surfaces', tolerance: 'the length of all borders times how near lines lie to them' },
  { names: ['Places with a height'], of: 'height maps', tolerance: 'the same count' },
  { names: ['Heights', 'Highest'], of: 'height maps, against rays down through the mesh', tolerance: 'half a grey, and a hundred-thousandth of a mm' },
  { names: ['Fold-back'], of: 'flat patterns', tolerance: 'at most 0.01 mm, the deviation of the flat, and four times how near surfaces were found on a mesh' },
  { names: ['Thickness, folded'], of: 'flat patterns', tolerance: '2.1 % of the thickness or the spread that was measured, at least 0.01 mm' },
  { names: ['Volume, folded', 'Volume, less features'], of: 'flat patterns', tolerance: '0.5 % of exact solids, 3 % of meshes' },
  { names: ['Parts', 'Solids', 'Open surfaces', 'Places'], of: 'files of several parts', tolerance: 'the same count' },
  { names: ['Names', 'Names and quantities', 'Colours', 'Branches'], of: 'files of several parts', tolerance: 'the same' },
  { names: ['Volume of all'], of: 'assemblies', tolerance: 'a ten-millionth (STEP), a millionth (IGES)' },
  {
    names: ['Place of each copy', 'Place of each part', 'Corners of the faces'],
    of: 'files of several parts',
    tolerance: 'the rounding of the format at that distance from zero',
  },
];
