import type { Claim, Evidence } from './evidence.ts';

/** What the evidence page says of a file. */
export interface EvidenceDocument {
  job: string;
  part: string;
  quantity: number;
  source: { file: string; sha256: string };
  file: { name: string; bytes: number; sha256: string; written: string };
  verdict: Evidence['verdict'];
  reason?: string | null;
  claims: Claim[];
  findings: Evidence['findings'];
}

/** A figure of a claim as people read it. */
export function claimFigure(value: number | string, unit: string): string {
  if (typeof value === 'string') return value;
  const measured = unit === 'mm' || unit === 'mm2' || unit === 'mm3';
  if (Number.isInteger(value) && !measured) return value.toLocaleString('en').replace(/,/g, '\u202f');
  const digits = unit === 'mm' ? 3 : unit === 'mm3' || unit === 'mm2' ? 1 : 2;
  const small = unit === 'mm' && Math.abs(value) < 0.001 && value !== 0;
  // Nobody measures a millionth of a millimetre, and nobody reads 2.9e-14.
  if (small && Math.abs(value) < 1e-6) return 'under 0.001';
  return small ? value.toPrecision(2) : value.toLocaleString('en', { minimumFractionDigits: digits, maximumFractionDigits: digits }).replace(/,/g, '\u202f');
}

/** What was designed, as people read it: a limit says that it is one. @example designedFigure({ designed: 0.08, unit: 'mm', tolerance: 0, difference: null }) // 'at most 0.080' */
export function designedFigure({ designed, unit, tolerance, difference }: Pick<Claim, 'designed' | 'unit' | 'tolerance' | 'difference'>): string {
  return (tolerance !== null && difference === null ? 'at most ' : '') + claimFigure(designed, unit);
}

/** Units as people read them. */
export function unitText(unit: string): string {
  return unit.replace('mm2', 'mm²').replace('mm3', 'mm³');
}

const escaped = (text: string) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
const marks = { clear: '●', look: '◆', stop: '■' };

/** The evidence as one HTML page without scripts, made for paper: black on white, one table. */
export function evidencePage(d: EvidenceDocument): string {
  const rows = d.claims.map((c) => {
    const figure = (v: number | string) => escaped(claimFigure(v, c.unit));
    const change = c.difference === null ? '' : figure(c.difference);
    const tolerance = c.tolerance === null ? '' : figure(c.tolerance);
    return `<tr><th scope="row">${escaped(c.quantity)}</th><td>${escaped(unitText(c.unit))}</td><td>${escaped(designedFigure(c))}</td><td>${figure(c.received)}</td><td>${change}</td><td>${tolerance}</td><td>${marks[c.verdict]} ${c.verdict}</td></tr>`;
  });
  const findings = d.findings.map((f) => `<li>${marks[f.severity]} ${f.severity}: ${escaped(f.message)} ${escaped(f.remedy)}</li>`);
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Evidence for ${escaped(d.file.name)}</title><style>
@page{margin:18mm}body{font:15px/1.45 system-ui,sans-serif;color:#111;background:#fff;max-width:54rem;margin:2rem auto;padding:0 1rem}
h1{font-size:1.35rem;margin:0 0 .2rem}p{margin:.2rem 0}table{border-collapse:collapse;width:100%;margin:1.2rem 0;font-variant-numeric:tabular-nums}
th,td{text-align:right;padding:.3rem .5rem;border-bottom:1px solid #bbb}th:first-child,td:nth-child(2){text-align:left}thead th{border-bottom:2px solid #111}
td:last-child,th:last-child{text-align:left;white-space:nowrap}code{font-size:.8rem;word-break:break-all}tr{break-inside:avoid}
</style></head><body><h1>${marks[d.verdict]} ${escaped(d.file.name)}: ${d.verdict}</h1>
${d.reason ? `<p><b>Because:</b> ${escaped(d.reason)}</p>` : ''}<p>${escaped(d.part)}, ${d.quantity} off, of job ${escaped(d.job)}. Written ${escaped(d.file.written.slice(0, 16).replace('T', ' '))} UTC, ${d.file.bytes.toLocaleString('en')} bytes.</p>
<table><thead><tr><th scope="col">Claim</th><th scope="col">Unit</th><th scope="col">Designed</th><th scope="col">Received</th><th scope="col">Difference</th><th scope="col">Tolerance</th><th scope="col">Verdict</th></tr></thead>
<tbody>${rows.join('')}</tbody></table>${findings.length ? `<ul>${findings.join('')}</ul>` : ''}
<p>File SHA-256 <code>${d.file.sha256}</code></p><p>Source ${escaped(d.source.file)}, SHA-256 <code>${d.source.sha256}</code></p>
<p>Received is what was read back from the bytes of this file alone. Tall Kite.</p></body></html>`;
}
