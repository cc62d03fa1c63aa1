import { compile, type Options } from 'css-select';
import * as csstree from 'css-tree';
import type { CssNode, Declaration, Selector, StyleSheet } from 'css-tree';
import { Losses } from '../../base/loss.ts';
import type { Node } from './xml.ts';

/** One declaration as it stands in a rule or a style attribute. */
interface Declared {
  name: string;
  value: string;
  important: boolean;
}

/** Rules above this count are not read. */
const mostRules = 20_000;
/** Rules that would take more steps than these are not read; a step is an element asked, a neighbour looked at, a fourth of a declaration kept. */
export const mostSteps = 20_000_000;
const stepsPerDeclared = 4;

class TooManySteps extends Error {}

/** How selectors are asked of elements; `step` hears how many neighbours each question may look at. */
const adapterOf = (step: (count: number) => void): NonNullable<Options<Node, Node>['adapter']> => ({
  isTag: (_): _ is Node => true,
  getAttributeValue: (node, name) => node.attributes[name],
  getChildren: (node) => {
    step(node.children.length);
    return node.children;
  },
  getName: (node) => node.name,
  getParent: (node) => {
    step(1);
    return node.parent;
  },
  getSiblings: (node) => {
    const siblings = node.parent?.children ?? [node];
    step(siblings.length);
    return siblings;
  },
  getText: (node) => node.text,
  hasAttrib: (node, name) => name in node.attributes,
  removeSubsets: (nodes) => nodes,
});

/**
 * What the style sheets and style attributes of a file say of each element, cascaded: sheets by specificity and order, then style attributes,
 * then what is marked important. What is not obeyed is told. Sources: CSS Cascading and Inheritance Level 3; Selectors Level 3; SVG 2, 6.
 */
export class Styles {
  private readonly byNode = new Map<Node, Record<string, string>>();
  private readonly losses: Losses;
  private readonly most: number;
  private readonly weighed: { node: Node; declared: Declared; weight: number; order: number }[] = [];
  private order = 0;
  private steps = 0;

  /** @param most steps that are taken, see `mostSteps` */
  constructor(sheets: readonly { text: string; media: string }[], nodes: readonly Node[], losses: Losses, most = mostSteps) {
    this.losses = losses;
    this.most = most;
    const adapter = adapterOf((count) => this.step(count));
    const index = new NodeIndex(nodes);
    for (const sheet of sheets) {
      if (!mediaApplies(sheet.media, losses)) continue;
      for (const rule of rulesOf(sheet.text, losses)) this.weighRule(rule, adapter, index);
    }
    for (const node of nodes) this.weighOwn(node);
    this.weighed.sort((a, b) => a.weight - b.weight || a.order - b.order);
    for (const { node, declared } of this.weighed) {
      let style = this.byNode.get(node);
      if (!style) this.byNode.set(node, (style = Object.create(null) as Record<string, string>));
      style[declared.name] = declared.value;
    }
    this.weighed.length = 0;
  }

  private step(count: number): void {
    this.steps += count;
    if (this.steps > this.most) throw new TooManySteps();
  }

  /** A rule of a sheet: obeyed whole or not at all. */
  private weighRule(rule: Rule, adapter: ReturnType<typeof adapterOf>, index: NodeIndex): void {
    this.order++;
    if (this.order > mostRules || this.steps > this.most) return this.losses.add('style rule', tooMuch);
    let matches: (node: Node) => boolean;
    try {
      matches = compile<Node, Node>(rule.selector, { adapter, xmlMode: true });
    } catch {
      return this.losses.add(`style rule "${rule.selector.slice(0, 40)}"`, 'its selector is not understood');
    }
    let obeyed: Node[];
    try {
      const asked = index.candidates(rule.parsed);
      this.step(asked.length);
      obeyed = asked.filter(matches);
      this.step(obeyed.length * rule.declared.length * stepsPerDeclared);
    } catch (error) {
      if (!(error instanceof TooManySteps)) throw error;
      return this.losses.add('style rule', tooMuch);
    }
    for (const node of obeyed)
      for (const declared of rule.declared) this.weighed.push({ node, declared, weight: rule.weight + (declared.important ? 1e12 : 0), order: this.order });
  }

  /** The style attribute of an element. */
  private weighOwn(node: Node): void {
    const own = node.attributes.style;
    if (!own) return;
    this.order++;
    for (const declared of declarationsOf(own, this.losses)) this.weighed.push({ node, declared, weight: declared.important ? 1e13 : 1e11, order: this.order });
  }

  /** Declarations that win for an element, presentation attributes not among them. */
  of(node: Node): Readonly<Record<string, string>> {
    return this.byNode.get(node) ?? none;
  }
}

const tooMuch = `more than ${mostRules.toLocaleString('en')} rules, or rules that ask too much, are not read`;
const none: Record<string, string> = {};

interface Rule {
  selector: string;
  parsed: Selector;
  weight: number;
  declared: Declared[];
}

function rulesOf(text: string, losses: Losses): Rule[] {
  const rules: Rule[] = [];
  let sheet: StyleSheet;
  try {
    sheet = csstree.parse(text.replace(/<!--|-->/g, ''), {
      parseValue: false,
      parseCustomProperty: false,
      parseRulePrelude: true,
      onParseError: () => losses.add('piece of a style sheet', 'it is not sound CSS'),
    }) as StyleSheet;
  } catch {
    losses.add('style sheet', 'it is not sound CSS');
    return rules;
  }
  const take = (nodes: csstree.List<CssNode>): void => {
    nodes.forEach((node) => {
      if (node.type === 'Atrule') {
        const name = node.name.toLowerCase();
        if (name === 'media') {
          if (node.block && mediaApplies(node.prelude ? csstree.generate(node.prelude) : '', losses)) take(node.block.children);
        } else if (name === 'import') losses.add('style sheet in another file', 'links are never followed');
        else if (!['font-face', 'charset', 'namespace', 'keyframes', '-webkit-keyframes'].includes(name))
          losses.add(`style rule "@${name}"`, 'it is not obeyed');
        return;
      }
      if (node.type !== 'Rule') return;
      const declared = declaredIn(node.block.children);
      if (node.prelude.type !== 'SelectorList') return losses.add('style rule', 'its selector is not understood');
      node.prelude.children.forEach((parsed) => {
        if (parsed.type === 'Selector') rules.push({ selector: csstree.generate(parsed), parsed, weight: weightOf(parsed), declared });
      });
    });
  };
  take(sheet.children);
  return rules;
}

function declaredIn(nodes: csstree.List<CssNode>): Declared[] {
  const found: Declared[] = [];
  nodes.forEach((node) => {
    if (node.type === 'Declaration') found.push(declaredOf(node));
  });
  return found;
}

function declaredOf(node: Declaration): Declared {
  const value = node.value.type === 'Raw' ? node.value.value : csstree.generate(node.value);
  const name = node.property.startsWith('--') ? node.property : node.property.toLowerCase();
  return { name, value: value.trim(), important: node.important !== false };
}

/** Declarations of a style attribute. */
function declarationsOf(text: string, losses: Losses): Declared[] {
  try {
    const list = csstree.parse(text, {
      context: 'declarationList',
      parseValue: false,
      parseCustomProperty: false,
      onParseError: () => losses.add('piece of a style attribute', 'it is not sound CSS'),
    });
    return list.type === 'DeclarationList' ? declaredIn(list.children) : [];
  } catch {
    losses.add('style attribute', 'it is not sound CSS');
    return [];
  }
}

/** Specificity as one number. Source: Selectors Level 3, 9. */
function weightOf(selector: Selector): number {
  let weight = 0;
  csstree.walk(selector, (node) => {
    if (node.type === 'IdSelector') weight += 1e6;
    else if (node.type === 'ClassSelector' || node.type === 'AttributeSelector') weight += 1e3;
    else if (node.type === 'PseudoClassSelector' && !['not', 'is', 'where', 'has'].includes(node.name)) weight += 1e3;
    else if (node.type === 'TypeSelector' && node.name !== '*') weight += 1;
  });
  return weight;
}

/** Whether rules for a medium are for a drawing that is looked at. Conditions beyond that are not obeyed, and told. Source: Media Queries Level 3. */
function mediaApplies(media: string, losses: Losses): boolean {
  const queries = media.toLowerCase().split(',').map((q) => q.trim()).filter(Boolean); // prettier-ignore
  if (queries.length === 0) return true;
  return queries.some((q) => {
    if (/^(only\s+)?(all|screen)$/.test(q)) return true;
    if (/^(only\s+)?(print|speech|braille|embossed|handheld|projection|tty|tv|aural)\b/.test(q)) return false;
    if (/^not\s+(print|speech)$/.test(q)) return true;
    losses.add(`style rules for "${q.slice(0, 40)}"`, 'the condition is not asked');
    return false;
  });
}

/** Elements by what the last part of a selector names, so that few have to be asked. */
class NodeIndex {
  private readonly all: readonly Node[];
  private readonly classes = new Map<string, Node[]>();
  private readonly names = new Map<string, Node[]>();
  private readonly ids = new Map<string, Node[]>();

  constructor(nodes: readonly Node[]) {
    this.all = nodes;
    const put = (map: Map<string, Node[]>, key: string, node: Node) => {
      const list = map.get(key);
      if (list) list.push(node);
      else map.set(key, [node]);
    };
    for (const node of nodes) {
      put(this.names, node.name, node);
      if (node.attributes.id) put(this.ids, node.attributes.id, node);
      for (const c of new Set((node.attributes.class ?? '').split(/\s+/))) if (c) put(this.classes, c, node);
    }
  }

  candidates(selector: Selector): readonly Node[] {
    let found: readonly Node[] | null = null;
    const nodes = selector.children.toArray();
    for (let i = nodes.length - 1; i >= 0 && nodes[i].type !== 'Combinator'; i--) {
      const node = nodes[i];
      if (node.type === 'IdSelector') return this.ids.get(csstree.ident.decode(node.name)) ?? [];
      if (node.type === 'ClassSelector') found = this.classes.get(csstree.ident.decode(node.name)) ?? [];
      else if (node.type === 'TypeSelector' && node.name !== '*' && found === null) found = this.names.get(node.name) ?? [];
    }
    return found ?? this.all;
  }
}
