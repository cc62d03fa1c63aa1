/** A family of letters that comes with the app: outlines to cut round, or single lines to engrave. */
export interface Family {
  id: string;
  name: string;
  about: string;
  kind: 'outlines' | 'single lines';
  /** Outlines: the package and its files, those of the script that is wanted most first. */
  package?: string;
  files?: readonly string[];
  /** Single lines: the file of strokes. */
  strokes?: string;
}

const scripts = (name: string, subsets: readonly string[], style = 'wght-normal'): string[] => subsets.map((s) => `${name}-${s}-${style}.woff2`);

/**
 * Letters that come with the app. All outlines are under the SIL Open Font License 1.1; single lines are Dr. A. V. Hershey's (see the notice).
 * A new family is a line here.
 */
export const families: readonly Family[] = [
  {
    id: 'sans',
    name: 'Sans',
    about: 'Plain letters without feet; light to black. Latin, Greek, Cyrillic.',
    kind: 'outlines',
    package: '@fontsource-variable/source-sans-3',
    files: scripts('source-sans-3', ['latin', 'latin-ext', 'greek', 'greek-ext', 'cyrillic', 'cyrillic-ext', 'vietnamese']),
  },
  {
    id: 'serif',
    name: 'Serif',
    about: 'Letters with feet, for signs and titles; light to black. Latin, Greek, Cyrillic.',
    kind: 'outlines',
    package: '@fontsource-variable/source-serif-4',
    files: scripts('source-serif-4', ['latin', 'latin-ext', 'greek', 'cyrillic', 'cyrillic-ext', 'vietnamese']),
  },
  {
    id: 'slab',
    name: 'Slab',
    about: 'Strong feet and even strokes: raised or engraved, holds small sizes. Latin, Cyrillic.',
    kind: 'outlines',
    package: '@fontsource-variable/bitter',
    files: scripts('bitter', ['latin', 'latin-ext', 'cyrillic', 'cyrillic-ext', 'vietnamese']),
  },
  {
    id: 'rounded',
    name: 'Rounded',
    about: 'Round ends, friendly to small cutters; light to black. Latin, Cyrillic.',
    kind: 'outlines',
    package: '@fontsource-variable/nunito',
    files: scripts('nunito', ['latin', 'latin-ext', 'cyrillic', 'cyrillic-ext', 'vietnamese']),
  },
  {
    id: 'stencil',
    name: 'Stencil',
    about: 'Bridges in every letter: nothing falls out when it is cut through. Latin.',
    kind: 'outlines',
    package: '@fontsource/stardos-stencil',
    files: ['stardos-stencil-latin-400-normal.woff2'],
  },
  {
    id: 'stencil-bold',
    name: 'Stencil, bold',
    about: 'The same in heavier strokes. Latin.',
    kind: 'outlines',
    package: '@fontsource/stardos-stencil',
    files: ['stardos-stencil-latin-700-normal.woff2'],
  },
  { id: 'line', name: 'Single line', about: 'One stroke a line, plain: the quickest to engrave. Latin.', kind: 'single lines', strokes: 'futural' },
  { id: 'line-script', name: 'Single line, script', about: 'One stroke a line, as written by hand. Latin.', kind: 'single lines', strokes: 'scripts' },
  { id: 'line-greek', name: 'Single line, Greek', about: 'One stroke a line; a is alpha, b is beta.', kind: 'single lines', strokes: 'greeks' },
];

/** Letters that a family may lack: whose letters stand in for it, those of the sans first. */
export const standIns: readonly { package: string; file: string }[] = [
  ...families[0].files!.map((file) => ({ package: families[0].package!, file })),
  ...[
    ['arabic', 'arabic'],
    ['hebrew', 'hebrew'],
    ['devanagari', 'devanagari'],
    ['thai', 'thai'],
    ['bengali', 'bengali'],
    ['tamil', 'tamil'],
    ['georgian', 'georgian'],
    ['armenian', 'armenian'],
  ].map(([name, subset]) => ({ package: `@fontsource-variable/noto-sans-${name}`, file: `noto-sans-${name}-${subset}-wght-normal.woff2` })),
];

/** @throws RangeError for a family that does not come with the app. */
export function familyOf(id: string): Family {
  const found = families.find((f) => f.id === id);
  if (!found) throw new RangeError(`no letters called ${id}`);
  return found;
}
