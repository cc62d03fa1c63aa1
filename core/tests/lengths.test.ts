import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { fieldLength, personUnits, shownLength, typedLength, type PersonUnit } from '../src/base/lengths.ts';

// Inch and foot by the international yard and pound agreement of 1959: 25.4 mm and 304.8 mm exactly.
describe('lengths as people type them', () => {
  const table: [string, number | null][] = [
    ['12', 12], ['12.5', 12.5], ['12,5', 12.5], ['.5', 0.5], [',5', 0.5], ['12.', 12], ['-3', -3], ['−3', -3], ['+3', 3], [' 7 ', 7],
    ['12 mm', 12], ['12mm', 12], ['1.2 cm', 12], ['1 m', 1000], ['2 in', 50.8], ['2"', 50.8], ['3 inches', 76.2], ['1 inch', 25.4], ['5 ft', 1524], ["5'", 1524], ['5 feet', 1524], ['1 foot', 304.8],
    ['3/4 in', 19.05], ['3/4"', 19.05], ['1 1/2"', 38.1], ['1-1/2 in', 38.1], ['1 1/2 ft', 457.2], ['3/4', 0.75], ['15/16"', 23.8125],
    [`5' 3 1/2"`, 1612.9], [`5'3"`, 1600.2], ['5 ft 3 in', 1600.2], [`5'-3"`, 1600.2], ["5' 3", 1600.2], ['5′ 3″', 1600.2], [`-5' 3"`, -1600.2],
    // In two ways, or in none.
    ['1,234', null], ['1,234.5', null], ['', null], ['  ', null], ['abc', null], ['12 px', null], ['1/0', null], ['1/2/3', null], ['1 2', null], ['5 in 3 ft', null], ['1e3', null], ['Infinity', null], ['0x10', null], ['--3', null], ['3 4/5/6', null], [`5" 3"`, null],
  ]; // prettier-ignore
  test.each(table)('%j is %s mm', (text, mm) => {
    const found = typedLength(text);
    if (mm === null) expect(found).toBeNull();
    else expect(found).toBeCloseTo(mm, 9);
  });
  test('1234 and 1,23 are taken, 1,234 is not: to some it is a thousand, to others one', () => {
    expect([typedLength('1234'), typedLength('1,23'), typedLength('1,2345')]).toEqual([1234, 1.23, 1.2345]);
  });
  test('a bare number is in the unit of the person, one with a unit in its own', () => {
    expect(typedLength('2', 'in')).toBeCloseTo(50.8, 12);
    expect(typedLength('2', 'ft')).toBeCloseTo(609.6, 12);
    expect(typedLength('2 mm', 'in')).toBe(2);
    expect(typedLength('3/4', 'in')).toBeCloseTo(19.05, 12);
  });
  test('what a field shows is read back within 0.0001 mm, in every unit', () => {
    fc.assert(
      fc.property(fc.double({ min: -5000, max: 5000, noNaN: true }), fc.constantFrom(...personUnits), (mm, unit: PersonUnit) => {
        // A person's field never shows a figure that its own reader refuses or takes for another.
        const shown = fieldLength(mm, unit);
        if (shown.includes('e')) return;
        expect(Math.abs(typedLength(shown, unit)! - mm)).toBeLessThanOrEqual(1.6e-4);
      }),
    );
  });
  test('long texts of any kind are none', () => {
    for (const text of ['1'.repeat(1e6), '1 '.repeat(5e5), `${'1/'.repeat(5e5)}1`, '1-'.repeat(5e5)]) expect(typedLength(text)).toBeNull();
  });
});

describe('lengths as people read them', () => {
  test('digits that matter, by unit', () => {
    expect([shownLength(12.7, 'mm'), shownLength(12.7, 'in'), shownLength(12.7, 'cm'), shownLength(1524, 'ft'), shownLength(2500, 'm')]).toEqual([
      '12.7',
      '0.500',
      '1.270',
      '5.0000',
      '2.5000',
    ]);
    expect(shownLength(304.8, 'in')).toBe('12.00');
    expect(shownLength(0, 'in')).toBe('0.000');
    // Just inside and just outside of the last digit.
    expect(shownLength(0.0254, 'in')).toBe('0.001');
    expect(shownLength(0.0253, 'in')).toBe('0.0010');
    expect(shownLength(254, 'in')).toBe('10.00');
    expect(shownLength(253.99, 'in')).toBe('10.000');
  });
});
