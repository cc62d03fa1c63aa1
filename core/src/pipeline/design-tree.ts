import type { DesignPart, TreeNode } from '../model/design.ts';

/** The tree of a file whose parts say the names above them: names above a part, then the part. */
export function treeOf(parts: DesignPart[]): TreeNode[] {
  const roots: TreeNode[] = [];
  parts.forEach((part, i) => {
    let level = roots;
    for (const name of part.summary.path.slice(0, -1)) {
      let node = level.find((n) => n.name === name && n.parts.length === 0);
      if (!node) level.push((node = { name, colour: null, parts: [], children: [] }));
      level = node.children;
    }
    level.push({ name: part.summary.name, colour: part.summary.colour, parts: [i], children: [] });
  });
  return roots;
}
