/** Shortcuts by the page on which they hold. */
export const keyLists: { where: string; keys: [string, string][] }[] = [
  {
    where: 'Everywhere',
    keys: [
      ['?', 'this list'],
      ['Ctrl Z', 'undo in this job'],
      ['Ctrl Shift Z', 'do it again'],
    ],
  },
  {
    where: 'Ledger',
    keys: [
      ['↑ ↓', 'choose a part'],
      ['Enter', 'lay it on the light table'],
      ['B', 'bring in files'],
      ['W', 'write the chosen part'],
      ['X', 'tick it for a release'],
      ['Ctrl A', 'tick all that are shown'],
    ],
  },
  {
    where: 'Light table',
    keys: [
      ['[ ]', 'step before, step after'],
      ['F K L R T U', 'front, back, left, right, top, under'],
      ['A', 'a view from the corner'],
      ['D', 'Designed, overlaid, Received, side by side, split, difference'],
      ['M', 'measure'],
      ['S', 'a section through the part'],
      ['E', 'edges of triangles'],
      ['Esc', 'stop picking'],
      ['W', 'write the file'],
    ],
  },
  {
    where: 'Sheet table, for a drawing',
    keys: [
      ['F', 'all of it in the picture'],
      ['+ −', 'closer, further away'],
      ['[ ] D W Esc', 'as on the light table'],
    ],
  },
  {
    where: 'Join and divide',
    keys: [
      ['F K L R T U A', 'views, as on the light table'],
      ['Esc', 'choose nothing'],
    ],
  },
  {
    where: 'Beds',
    keys: [
      ['Tab', 'the next part on the bed'],
      ['← → ↑ ↓', 'move it 1 mm, with Shift 10 mm'],
    ],
  },
];
