import { expect, test } from 'vitest';
import { settledText, type Settled } from '../src/command/settle.ts';

const row = (designed: number | string, received: number | string, unit = 'mm'): Settled => ({
  file: 'plate_mm.dxf',
  format: 'dxf',
  part: 'Plate',
  bytes: 10,
  sha256: '0',
  verdict: 'clear',
  reason: null,
  kept: true,
  evidence: [{ quantity: 'Width X', designed, received, unit, difference: 0, tolerance: 0, verdict: 'clear' }],
  findings: [],
});

test.each([
  [60.20000000000002, 60.2, 'mm', '60.2 -> 60.2 mm'],
  [0.1 + 0.2, 0.3, 'mm', '0.3 -> 0.3 mm'],
  [123456.789, 123456.788, 'mm2', '123456.789 -> 123456.788 mm2'],
  [1e-5 / 3, 0, 'mm', '0.00000333333333 -> 0 mm'],
  ['CUT 2', 'CUT 2', '', 'CUT 2 -> CUT 2'],
])('%j and %j %s are said as %s', (designed, received, unit, said) => {
  expect(settledText(row(designed, received, unit))).toBe(`clear: plate_mm.dxf (10 bytes)\n  clear: Width X ${said}\n`);
});
