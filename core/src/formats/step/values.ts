import { Enumeration, Ref, type Value } from './part21.ts';

/** What parameters are, forgiving: a value of another kind is none. */
export const refOf = (v: Value | undefined): number => (v instanceof Ref ? v.id : -1);
export const listOf = (v: Value | undefined): Value[] => (Array.isArray(v) ? v : []);
export const refsOf = (v: Value | undefined): number[] => listOf(v).map(refOf);
export const textOf = (v: Value | undefined): string => (typeof v === 'string' ? v : '');
export const enumOf = (v: Value | undefined): string | null => (v instanceof Enumeration ? v.name : null);
