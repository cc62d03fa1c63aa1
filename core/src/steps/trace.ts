import { counted } from '../base/figures.ts';
import { traceWays } from '../trace/choice.ts';
import { clear, type Step } from './step.ts';

/** How contours were made of a picture; only drawings of pictures have it. */
export const traceStep: Step<'Trace'> = {
  id: 'Trace',
  column: 'Source',
  beforeFile: true,
  only: ({ traced }) => traced !== undefined,
  state: ({ summary }) => {
    const { choice, distance } = summary.traced!;
    const { contours } = summary.drawing!;
    return clear(counted(contours, 'contour'), `${traceWays.find((w) => w.way === choice.way)!.name.toLowerCase()}, ${distance.mean.toPrecision(2)} px off`);
  },
};
