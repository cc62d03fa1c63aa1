import { localName, type Node } from './xml.ts';

/** A layer's name and how surely it was meant as one. */
export interface LayerName {
  name: string;
  rank: number;
}

/** Names that programs give by counting: they tell nobody what a group is for. */
const counted = /^(g|group|path|rect|circle|use|svg|layer|shape|object|id|xmlid|_x)?[-_]*\d+[-_]*$/i;

/** What an element says of its layer: a group marked as layer, a label, or an id. Shapes only by a label of their own when they have no group. */
export function layerOf(node: Node, shape = false): LayerName | null {
  const attribute = (key: string) => Object.entries(node.attributes).find(([k]) => localName(k) === key)?.[1];
  const label = attribute('label') ?? node.attributes['data-name'];
  const id = node.attributes.id;
  if (shape) return id && !counted.test(id) && node.name === 'use' ? { name: label ?? id, rank: 0 } : null;
  if (attribute('groupmode') === 'layer' && (label ?? id)) return { name: (label ?? id)!, rank: 4 };
  if (label) return { name: label, rank: 3 };
  return id ? { name: id, rank: counted.test(id) ? 1 : 2 } : null;
}

/** The innermost name that is at least as sure as those around it. */
export const deeper = (above: LayerName | null, own: LayerName | null): LayerName | null => (own && (!above || own.rank >= above.rank) ? own : above);
