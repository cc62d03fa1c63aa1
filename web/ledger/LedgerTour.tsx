'use client';
import { Tour, type TourProps } from 'antd';

const at = (selector: string) => () => document.querySelector<HTMLElement>(selector)!;

/** Six stops on the ledger. */
const stops: NonNullable<TourProps['steps']> = [
  {
    title: 'The ledger',
    description: 'Every part of the job is a row, strung on its thread: unbroken where all is clear, dashed up to a look, cut before a stop.',
    target: at('table.ledger tbody tr'),
  },
  {
    title: 'The foot',
    description: 'The chosen row’s worst finding in one sentence, with the button that mends it. Name, number and quantity are typed here.',
    target: at('[data-test=foot]'),
  },
  {
    title: 'Ways',
    description: 'What a part is for: print, carve, cut flat, fold, pass on. The guess says why; here it is changed, and one more way is added.',
    target: at('[data-test=foot] [data-test=ways]'),
  },
  {
    title: 'The light table',
    description: 'A click on a name lays the part on the light table: one step’s controls at a time, designed and received laid over each other.',
    target: at('table.ledger tbody [data-test=partname] a'),
  },
  {
    title: 'Evidence',
    description: 'Each file is read back from its own bytes. File and Received show its name and verdict; the evidence lies at the foot of the light table.',
    target: at('table.ledger thead th:last-child'),
  },
  {
    title: 'Receivers, and many files at once',
    description: 'Receivers are your machines with their rules. Ticked rows become a release: all files named by a pattern, each proved, with a report.',
    target: at('nav[aria-label=Main] a[href="/receivers"]'),
  },
];

/** A walk round the ledger, for those who see it first. */
export function LedgerTour({ close }: { close: () => void }) {
  return (
    <Tour
      open
      steps={stops.map((s) => ({ ...s, nextButtonProps: { children: 'On' }, prevButtonProps: { children: 'Back' } }))}
      onClose={close}
      onFinish={close}
    />
  );
}
