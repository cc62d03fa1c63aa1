import { readyReceivers } from './ready.ts';
import type { Receiver } from './receivers.ts';

/** What a new machine begins with: the rules of a kind of machine, without a name. */
export interface MachineKind {
  id: string;
  label: string;
  rules: Omit<Receiver, 'id' | 'name'>;
}

const from = (id: string, label: string): MachineKind => {
  const { id: _, name: __, ...rules } = readyReceivers.find((r) => r.id === id)!;
  return { id, label, rules };
};

/** A machine that cuts sheet through, from the ready laser's rules. */
const cutting = (id: string, label: string, cutter: Partial<NonNullable<Receiver['cutter']>>): MachineKind => {
  const { rules } = from('swift', label);
  return { id, label, rules: { ...rules, process: label.toLowerCase(), cutter: { ...rules.cutter!, ...cutter } } };
};

/** Kinds of machines that one of your own begins from. Their figures are common practice, no source: type your machine's over them. */
export const machineKinds: readonly MachineKind[] = [
  from('lark', 'Filament printer'),
  from('wren', 'Resin printer'),
  from('heron', 'Carving router, 3D'),
  from('swift', 'Laser, sheet'),
  from('martin', 'Router, sheet'),
  cutting('water-jet', 'Water jet', { kerf: 0.9, feed: 300, pierce: 3, curves: false }),
  cutting('plasma', 'Plasma cutter', { kerf: 1.5, feed: 3000, pierce: 0.8, curves: false }),
  cutting('knife', 'Knife plotter', { kerf: 0, feed: 12_000, pierce: 0.1, curves: true, readsUnit: true }),
  from('pipit', 'Paper templates'),
  from('curlew', 'Tube bender'),
  from('dipper', 'Board shop'),
];
