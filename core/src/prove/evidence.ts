import { worst, type Finding, type Severity } from '../base/finding.ts';

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
  /** Why the verdict is not clear, in one sentence: the worst claim or finding. Null when it is clear; absent in evidence of earlier versions. */
  reason?: string | null;
  claims: Claim[];
  /** What the receiver found odd in the bytes. */
  findings: Finding[];
}

/** A length, area or volume: clear within the tolerance, stop beyond it. */
export function within(quantity: string, unit: string, [designed, received]: readonly [designed: number, received: number], tolerance: number): Claim {
  const difference = received - designed;
  const ok = Math.abs(difference) <= tolerance;
  return { quantity, unit, designed, received, difference, tolerance, verdict: ok ? 'clear' : 'stop' };
}

/** A figure that must not be above a limit. */
export function atMost(quantity: string, unit: string, limit: number, received: number): Claim {
  return { quantity, unit, designed: limit, received, difference: null, tolerance: limit, verdict: received <= limit ? 'clear' : 'stop' };
}

/** Surfaces that must not be farther apart than so far; to be looked at where they were not compared to the end. @param besides what else may be lost, mm */
export function apart(limit: number, { largest, unsure }: { largest: number; unsure: number }, besides = 0): Claim {
  const claim = atMost('Deviation', 'mm', limit, besides + largest);
  if (claim.verdict === 'clear' && besides + unsure > limit) claim.verdict = 'look';
  return claim;
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

/** The claims and the receiver's findings as one piece of evidence, with the worst verdict and its reason. */
export function evidenceOf(claims: Claim[], findings: Finding[]): Evidence {
  const verdict = worst([...claims.map((c) => c.verdict), ...findings.map((f) => f.severity)]);
  return { claims, findings, verdict, reason: reasonOf(verdict, claims, findings) };
}

/** Evidence with findings from before the bytes, each told once; its verdict is the worst of all. */
export function withFindings(evidence: Evidence, findings: readonly Finding[]): Evidence {
  const told = new Set(evidence.findings.map((f) => `${f.code}\0${f.message}`));
  const more = findings.filter((f) => {
    const key = `${f.code}\0${f.message}`;
    return !told.has(key) && told.add(key);
  });
  return more.length === 0 ? evidence : evidenceOf(evidence.claims, [...more, ...evidence.findings]);
}

/** What several files say as one piece of evidence: a line for each file, then their findings, each with the words that stand before it. */
export function evidenceOfFiles(files: readonly { name: string; evidence: Evidence; before?: string }[], own: Evidence): Evidence {
  const claims = files.map(({ name, evidence }): Claim => {
    const all = `${evidence.claims.length} of ${evidence.claims.length} claims hold`;
    const bad = evidence.claims.find((c) => c.verdict !== 'clear');
    return {
      quantity: name,
      unit: '',
      designed: all,
      received: bad ? `${bad.quantity}: ${String(bad.received)}` : all,
      difference: null,
      tolerance: null,
      verdict: worst(evidence.claims.map((c) => c.verdict)),
    };
  });
  const findings = files.flatMap(({ evidence, before = '' }) => evidence.findings.map((f) => ({ ...f, message: `${before}${f.message}` })));
  return withFindings(evidenceOf([...own.claims, ...claims], own.findings), findings);
}

/** Why a verdict is what it is: the claim or finding that made it, in a sentence. */
function reasonOf(verdict: Severity, claims: readonly Claim[], findings: readonly Finding[]): string | null {
  if (verdict === 'clear') return null;
  const claim = claims.find((c) => c.verdict === verdict);
  if (!claim) return findings.find((f) => f.severity === verdict)?.message ?? null;
  const figure = (v: number | string) => (typeof v === 'number' ? `${Number(v.toPrecision(7))}${claim.unit ? ` ${claim.unit}` : ''}` : v || 'none');
  const off = claim.difference !== null && claim.tolerance ? `, off by ${figure(Math.abs(claim.difference))} where ${figure(claim.tolerance)} is allowed` : '';
  const meant = claim.tolerance !== null && claim.difference === null ? `at most ${figure(claim.designed)}` : figure(claim.designed);
  return `${claim.quantity}: designed ${meant}, received ${figure(claim.received)}${off}.`;
}
