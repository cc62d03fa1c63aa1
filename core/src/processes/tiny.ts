import type { Finding } from '../base/finding.ts';
import type { Receiver } from '../receivers/receivers.ts';

/** A thing so small that the receiver takes it for one in another unit; none from a receiver that guesses no unit. `longest` in mm. */
export function tinyFindings(receiver: Receiver, longest: number): Finding[] {
  if (!(longest < receiver.smallest)) return [];
  return [
    {
      code: 'tiny',
      severity: 'stop',
      count: 1,
      message: `Received as ${longest.toPrecision(3)} mm at its longest: almost surely another unit.`,
      remedy: 'Choose mm for the file, or another reading on the Size step.',
    },
  ];
}
