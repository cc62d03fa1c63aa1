'use client';
import { useRouter } from 'next/navigation';
import { useCallback, useState } from 'react';
import { usualChoices } from 'tall-kite/model/choices';
import { ask, Refused } from '@/shell/ask.ts';
import { mostUploadBytes } from '@/ledger/limits.ts';
import { sendFile } from '@/ledger/upload.ts';

/** Made-up designs that ship with the app: two printed halves of a clamp with their bolts, a folded bracket, a drawing, and a mesh without a unit. */
const files = ['mast clamp.step', 'sheet bracket.step', 'winder sides.dxf', 'hub.stl'];

function send(job: string, name: string, bytes: ArrayBuffer): Promise<void> {
  return new Promise((done, failed) =>
    sendFile({ jobId: job, file: new File([bytes], name), mostBytes: mostUploadBytes, choices: usualChoices, replaces: null, variant: '' }, (upload) => {
      if (upload.state === 'done') done();
      else if (upload.state !== 'sending') failed(new Refused(0, upload.sentence ?? 'The file was not taken.', 'Try again.'));
    }),
  );
}

/** Makes a sample job and opens it with the tour. */
export function useSample() {
  const router = useRouter();
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<{ message: string; remedy: string } | null>(null);
  const make = useCallback(async () => {
    setBusy(true);
    setTrouble(null);
    try {
      const { id } = await ask<{ id: string }>('/api/jobs', { method: 'POST', body: { name: 'Sample: wind station' } });
      for (const name of files) {
        const response = await fetch(`/samples/${encodeURIComponent(name)}`);
        if (!response.ok) throw new Refused(response.status, `The sample "${name}" is not there.`, 'Bring in a file of your own.');
        await send(id, name, await response.arrayBuffer());
      }
      router.push(`/jobs/${id}?tour`);
    } catch (thrown) {
      const refused = thrown instanceof Refused ? thrown : new Refused(0, (thrown as Error).message, 'Try again.');
      setTrouble({ message: refused.message, remedy: refused.remedy });
      setBusy(false);
    }
  }, [router]);
  return { make, busy, trouble };
}
