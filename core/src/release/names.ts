import { safeFileName } from '../recipe/recipe.ts';

/** A name piece: a field of the file's own figures, or plain text. */
export type NamePiece = { field: NameField } | { text: string };

export const nameFields = ['job', 'part', 'number', 'variant', 'body', 'material', 'thickness', 'quantity', 'revision', 'receiver', 'unit', 'date'] as const;
export type NameField = (typeof nameFields)[number];

/** What the fields say of one file; empty ones leave no trace in the name. */
export type NameFigures = Record<NameField, string>;

/** Name of file and folder composed from pieces. */
export interface Naming {
  file: NamePiece[];
  folder: NamePiece[];
  /** What happens when two files would get one name: numbered, or nothing is made. */
  clash: 'number' | 'stop';
  /** Names typed by hand (without folder and ending), by the key of their row. */
  own: Record<string, string>;
}

export const usualNaming: Naming = { file: [{ field: 'part' }, { text: '_' }, { field: 'unit' }], folder: [], clash: 'number', own: {} };

/**
 * Composes a name. Text beside an empty field goes with it: "part_" and an empty revision give "part". A folder piece "/" begins a folder below.
 * @returns a name that every operating system takes; folders joined by "/".
 */
export function composed(pieces: readonly NamePiece[], figures: NameFigures): string {
  const out: string[] = [];
  let held = '';
  for (const piece of pieces) {
    if ('text' in piece) {
      held += piece.text;
      continue;
    }
    const value = figures[piece.field].trim();
    if (value === '') {
      held = held.endsWith('/') ? held : '';
      continue;
    }
    // What separates stands only between two things that are there.
    out.push(out.length === 0 && !/[^\s._/-]/.test(held) && !held.includes('/') ? '' : held, value);
    held = '';
  }
  if (/[^\s._/-]/.test(held) || out.length === 0) out.push(held);
  return out
    .join('')
    .split('/')
    .filter((part) => part.trim() !== '')
    .map(safeFileName)
    .join('/');
}

/** Two files that would get one name on a disk that does not tell capitals from small letters. */
export interface Clash {
  name: string;
  rows: number[];
}

/**
 * Full names for rows, clashes found before anything is made. Numbered ones get _2, _3 in the order of the rows.
 * @param wanted folder, name and ending of each row.
 */
export function settledNames(wanted: readonly { folder: string; name: string; ending: string }[], naming: Naming): { names: string[]; clashes: Clash[] } {
  const key = (w: string) => w.normalize('NFC').toLowerCase();
  const groups = new Map<string, number[]>();
  const full = wanted.map((w) => `${w.folder ? `${w.folder}/` : ''}${w.name}.${w.ending}`);
  full.forEach((name, i) => {
    const list = groups.get(key(name));
    if (list) list.push(i);
    else groups.set(key(name), [i]);
  });
  const clashes = [...groups.values()].filter((rows) => rows.length > 1).map((rows) => ({ name: full[rows[0]], rows }));
  if (naming.clash === 'stop') return { names: full, clashes };
  const taken = new Set(groups.keys());
  for (const { rows } of clashes) {
    let n = 2;
    for (const i of rows.slice(1)) {
      const { folder, name, ending } = wanted[i];
      let next = '';
      do next = `${folder ? `${folder}/` : ''}${name}_${n++}.${ending}`;
      while (taken.has(key(next)));
      taken.add(key(next));
      full[i] = next;
    }
  }
  return { names: full, clashes };
}
