import { worst, type Finding, type Severity } from '../findings/finding.ts';

/** One line of the evidence for a file: what was meant, what was read from its bytes, and whether they agree. */
export interface Claim {
  quantity: string;
  /** Unit of designed, received, difference and tolerance; empty for counts and words. */
  unit: string;
  designed: number | string;
  received: number | string;
  difference: number | null;
  tolerance: number | null;
  verdict: Severity;
}

export interface Evidence {
  verdict: Severity;
  claims: Claim[];
  /** What the receiver found odd in the bytes. */
  findings: Finding[];
}

/** A length, area or volume: clear within the tolerance, stop beyond it. */
export function within(quantity: string, unit: string, designed: number, received: number, tolerance: number): Claim {
  const difference = received - designed;
  const ok = Math.abs(difference) <= tolerance;
  return { quantity, unit, designed, received, difference, tolerance, verdict: ok ? 'clear' : 'stop' };
}

/** A figure that must not be above a limit. */
export function atMost(quantity: string, unit: string, limit: number, received: number): Claim {
  return { quantity, unit, designed: limit, received, difference: null, tolerance: limit, verdict: received <= limit ? 'clear' : 'stop' };
}

/** A word or count that must be the same. */
export function same(quantity: string, designed: number | string, received: number | string, otherwise: Severity = 'stop'): Claim {
  const numbers = typeof designed === 'number' && typeof received === 'number';
  return {
    quantity,
    unit: '',
    designed,
    received,
    difference: numbers ? received - designed : null,
    tolerance: numbers ? 0 : null,
    verdict: designed === received ? 'clear' : otherwise,
  };
}

/** The claims and the receiver's findings as one piece of evidence, with the worst verdict. */
export function evidenceOf(claims: Claim[], findings: Finding[]): Evidence {
  return { claims, findings, verdict: worst([...claims.map((c) => c.verdict), ...findings.map((f) => f.severity)]) };
}
