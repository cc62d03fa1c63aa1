import { paintOf, type Paint } from './style.ts';
import { localName, type Node } from './xml.ts';

/** What an element refers to, "" for nothing. */
export const hrefOf = (node: Node): string =>
  (node.attributes.href ?? Object.entries(node.attributes).find(([key]) => localName(key) === 'href')?.[1] ?? '').trim();

/** Whether an element is another or around it. */
export function isAbove(target: Node, node: Node): boolean {
  for (let n: Node | null = node; n; n = n.parent) if (n === target) return true;
  return false;
}

/** What elements refer to by their ids: copies, clips, patterns. */
export class References {
  private readonly ids = new Map<string, Node>();

  /** @param nodes all elements of the file, in its order; of two with one id the first has it */
  constructor(nodes: readonly Node[]) {
    for (const node of nodes) if (node.attributes.id && !this.ids.has(node.attributes.id)) this.ids.set(node.attributes.id, node);
  }

  /** The element with this id, null for none. */
  at(id: string): Node | null {
    return this.ids.get(id) ?? null;
  }

  /** The element of the file that one refers to; null for none, or one elsewhere. */
  targetOf(node: Node): Node | null {
    const href = hrefOf(node);
    return href.startsWith('#') ? this.at(href.slice(1)) : null;
  }

  /** A paint, with what it refers to: a gradient without a colour and a pattern without a shape paint nothing, unless there is a fallback. */
  painted(text: string | undefined, current: string | undefined): Paint {
    const paint = paintOf(text, current);
    const id = /^url\(\s*["']?#([^"')]{1,200})["']?\s*\)\s*$/i.exec((text ?? '').trim())?.[1];
    if (id === undefined) return paint;
    let target = this.at(id);
    for (let i = 0; target && target.children.length === 0 && i < 16; i++) target = this.targetOf(target);
    return target && target.children.length > 0 && !this.refersBack(target, [id]) ? paint : { painted: false, colour: null };
  }

  /** Whether what is in a pattern is painted with the pattern itself, perhaps by way of others: then it paints nothing. Source: SVG 2, 13.3. */
  private refersBack(node: Node, open: readonly string[]): boolean {
    for (const child of node.children) {
      const { fill, stroke, style } = child.attributes;
      for (const text of [fill, stroke, style]) {
        const id = /url\(\s*["']?#([^"')]{1,200})/i.exec(text?.slice(0, 1000) ?? '')?.[1];
        if (id === undefined) continue;
        if (open.includes(id)) return true;
        const target = this.at(id);
        if (target && open.length < 16 && this.refersBack(target, [...open, id])) return true;
      }
      if (this.refersBack(child, open)) return true;
    }
    return false;
  }
}
