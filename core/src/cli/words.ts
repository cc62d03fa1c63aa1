import type { Command } from '../command/command.ts';

/** Where a command is that needs no operation: only its module is loaded when its word stands first. Words that are not here are found among all. */
export const modules: Readonly<Record<string, () => Promise<Command>>> = {
  inspect: async () => (await import('./inspect.ts')).inspectCommand,
  write: async () => (await import('./write.ts')).writeCommand,
  receive: async () => (await import('./receive.ts')).receiveCommand,
  flatten: async () => (await import('./flatten.ts')).flattenCommand,
  spread: async () => (await import('./spread.ts')).spreadCommand,
  heights: async () => (await import('./heights.ts')).heightsCommand,
  thumb: async () => (await import('./thumb.ts')).thumbCommand,
  develop: async () => (await import('./develop.ts')).developCommand,
  trace: async () => (await import('./trace.ts')).traceCommand,
  text: async () => (await import('./text.ts')).textCommand,
  check: async () => (await import('./check.ts')).checkCommand,
  slice: async () => (await import('./slice.ts')).sliceCommand,
  stances: async () => (await import('./stances.ts')).stancesCommand,
  tube: async () => (await import('./tube.ts')).tubeCommand,
  board: async () => (await import('./board.ts')).boardCommand,
  nest: async () => (await import('./cutlist.ts')).nestCommand,
  serve: async () => (await import('./serve.ts')).serveCommand,
  cutlist: async () => (await import('./cutlist.ts')).cutlistCommand,
};
