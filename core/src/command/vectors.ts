import { badText } from './option.ts';

export type Axis = 0 | 1 | 2;
export type Three = [number, number, number];

/** "x", "y" or "z". */
export function axisOf(name: string, typed: string): Axis {
  const at = ['x', 'y', 'z'].indexOf(typed.trim().toLowerCase());
  if (at < 0) throw badText(name, typed, 'x, y or z');
  return at as Axis;
}

/** "10,20,5". */
export function threeOf(name: string, typed: string): Three {
  const numbers = typed.split(',').map((v) => (v.trim() === '' ? NaN : Number(v)));
  if (numbers.length !== 3 || !numbers.every((v) => Number.isFinite(v) && Math.abs(v) <= 1e7)) throw badText(name, typed, '10,20,5');
  return numbers as Three;
}

/** "x", "-z" or three numbers. */
export function directionOf(name: string, typed: string): Three {
  const axis = /^([-+]?)([xyz])$/i.exec(typed.trim());
  if (axis) {
    const out: Three = [0, 0, 0];
    out[axisOf(name, axis[2])] = axis[1] === '-' ? -1 : 1;
    return out;
  }
  const out = threeOf(name, typed);
  if (!(Math.hypot(...out) > 0)) throw badText(name, typed, '-z or 0,0,-1');
  return out;
}

/** "z=90": an axis and degrees. */
export function turnOf(name: string, typed: string): { axis: Axis; degrees: number } {
  const found = /^([xyz])=([-+]?[\d.]+(?:e[-+]?\d+)?)$/i.exec(typed.trim());
  const degrees = Number(found?.[2]);
  if (!found || !Number.isFinite(degrees) || Math.abs(degrees) > 3600) throw badText(name, typed, 'z=90');
  return { axis: axisOf(name, found[1]), degrees };
}

/** "x=1524": how long the part is along an axis in truth, mm. */
export function knownLengthOf(name: string, typed: string): { axis: Axis; length: number } {
  const found = /^([xyz])=([\d.]+(?:e[-+]?\d+)?)$/i.exec(typed.trim());
  const length = Number(found?.[2]);
  if (!found || !(length > 0 && length <= 1e7)) throw badText(name, typed, 'x=1524');
  return { axis: axisOf(name, found[1]), length };
}

/** "z=12.5", or "1,0,1=20": a direction and how far along it from zero, mm. */
export function planeOf(name: string, typed: string): { normal: Three; offset: number } {
  const [left, right, ...more] = typed.split('=');
  const offset = right === undefined || right.trim() === '' ? NaN : Number(right);
  if (more.length > 0 || !Number.isFinite(offset)) throw badText(name, typed, 'z=12.5 or 1,0,1=20');
  return { normal: directionOf(name, left), offset };
}
