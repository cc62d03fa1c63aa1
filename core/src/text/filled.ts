import type { TextSeries } from './choice.ts';

/** Words with the values of a row in the places of its columns: {Name} stands for the column "Name". @example filledIn('No {N}', { columns: ['N'], rows }, ['7']) */
export const filledIn = (words: string, { columns }: TextSeries, row: readonly string[]): string =>
  columns.reduce((text, column, i) => (column === '' ? text : text.replaceAll(`{${column}}`, row[i] ?? '')), words);
