import type { Command } from '../command/command.ts';
import { assembleCommand } from './assemble.ts';
import { boardCommand } from './board.ts';
import { checkCommand } from './check.ts';
import { compareCommand } from './compare.ts';
import { cutlistCommand, nestCommand } from './cutlist.ts';
import { tubeCommand } from './tube.ts';
import { developCommand } from './develop.ts';
import { flattenCommand } from './flatten.ts';
import { heightsCommand } from './heights.ts';
import { serveCommand } from './serve.ts';
import { inspectCommand } from './inspect.ts';
import { layoutCommand } from './layout.ts';
import { operationCommands } from './operate.ts';
import { placeCommand } from './place.ts';
import { raiseCommand } from './raise.ts';
import { receiveCommand } from './receive.ts';
import { reliefCommand } from './relief.ts';
import { releaseCommand } from './release.ts';
import { sliceCommand } from './slice.ts';
import { spreadCommand } from './spread.ts';
import { stancesCommand } from './stances.ts';
import { textCommand } from './text.ts';
import { thumbCommand } from './thumb.ts';
import { traceCommand } from './trace.ts';
import { writeCommand } from './write.ts';

/** Every word of the command line, in the order of the help. Operations bring their own. */
export const commands: readonly Command[] = [
  inspectCommand,
  writeCommand,
  receiveCommand,
  flattenCommand,
  spreadCommand,
  reliefCommand,
  heightsCommand,
  serveCommand,
  thumbCommand,
  developCommand,
  traceCommand,
  textCommand,
  releaseCommand,
  raiseCommand,
  checkCommand,
  placeCommand,
  ...operationCommands,
  compareCommand,
  assembleCommand,
  layoutCommand,
  cutlistCommand,
  nestCommand,
  tubeCommand,
  boardCommand,
  stancesCommand,
  sliceCommand,
];
