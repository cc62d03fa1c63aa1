import type { Finding } from '../base/finding.ts';
import type { Evidence } from '../prove/evidence.ts';
import { notReached, worstFinding, type Step } from './step.ts';

/** The claim that stops the file, as a finding. */
function stopped({ claims }: Evidence): Finding | null {
  const bad = claims.find((c) => c.verdict === 'stop');
  if (!bad) return null;
  const message = `${bad.quantity}: designed ${bad.designed}, received ${bad.received} ${bad.unit}.`;
  return { code: 'claim', severity: 'stop', count: 1, message, remedy: 'Check the unit of the file and write it again.' };
}

/** What the machine reads from the bytes, held against the design. */
export const receivedStep: Step<'Received'> = {
  id: 'Received',
  column: 'Received',
  beforeFile: false,
  state: (_, file) => {
    if (!file?.evidence || file.state !== 'written') return notReached();
    const { claims, findings, verdict } = file.evidence;
    const agree = claims.filter((c) => c.verdict === 'clear').length;
    return { mark: verdict, figure: verdict, context: `${agree} of ${claims.length} agree`, finding: stopped(file.evidence) ?? worstFinding(findings) };
  },
};
