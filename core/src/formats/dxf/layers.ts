import { meaningOfName } from '../../curves/names.ts';
import { colourIn } from './entities.ts';
import { numberAt, textAt, type Entity } from './entity.ts';

/** A line of the layer table. */
export interface LayerLine {
  name: string;
  colour: string | null;
  lineType: string;
  /** Why what lies on it is not taken; null when it is. */
  hidden: string | null;
  /** A frozen layer hides whole blocks that are put on it; one that is off only what lies on the layer itself. */
  frozen: boolean;
}

/** Names of layers, blocks and line types are the same in capitals and small letters. Source: DXF Reference, symbol table names. */
export const keyOf = (name: string): string => name.toUpperCase();

/**
 * Layers and line types, with the rule of what is drawn to be cut: what a plot of the file would not show (layers that are off, frozen or not
 * plotted, and Defpoints, which never is) is left out, and so are lines of a broken type (centre lines, hidden edges) unless their layer's
 * name says what they are for. Source: DXF Reference, LAYER (flags 70, colour 62, plotting 290) and LTYPE; the rule for broken lines is
 * common practice, no source.
 */
export class LayerTable {
  private readonly lines = new Map<string, LayerLine>();
  /** Line types by name: whether they have gaps. */
  private readonly broken = new Map<string, boolean>();

  addLineType(e: Entity, name: string): void {
    this.broken.set(keyOf(name), numberAt(e, 73) > 0 || numberAt(e, 40) > 0);
  }

  add(e: Entity, name: string): void {
    const colour = numberAt(e, 62, 7);
    const frozen = (numberAt(e, 70) & 1) === 1;
    const unplotted = numberAt(e, 290, 1) === 0;
    const hidden = frozen
      ? 'the layer is frozen'
      : colour < 0
        ? 'the layer is off'
        : keyOf(name) === 'DEFPOINTS'
          ? 'the layer is never plotted'
          : unplotted
            ? 'the layer is not plotted'
            : null;
    const line: LayerLine = { name, colour: colourIn(e, Math.abs(colour)), lineType: textAt(e, 6) ?? 'CONTINUOUS', hidden, frozen };
    if (!this.lines.has(keyOf(name))) this.lines.set(keyOf(name), line);
  }

  /** The layer of a name, which may stand in no table. */
  get(name: string): LayerLine {
    const found = this.lines.get(keyOf(name));
    if (found) return found;
    const line: LayerLine = {
      name,
      colour: null,
      lineType: 'CONTINUOUS',
      hidden: keyOf(name) === 'DEFPOINTS' ? 'the layer is never plotted' : null,
      frozen: false,
    };
    this.lines.set(keyOf(name), line);
    return line;
  }

  /** Layers in the order of the table, then those that only entities name. */
  names(): string[] {
    return [...this.lines.values()].map((l) => l.name);
  }

  /** Why a line of this type is for reading only; null when it is drawn through or its layer says what it is for. */
  forReading(lineType: string, layer: string): string | null {
    const key = keyOf(lineType);
    const gaps = this.broken.get(key) ?? /^(CENTER|DASH|HIDDEN|PHANTOM|DOT|DIVIDE|BORDER)/.test(key);
    return gaps && meaningOfName(layer) === null ? `a broken line ("${lineType}") is for reading` : null;
  }
}
