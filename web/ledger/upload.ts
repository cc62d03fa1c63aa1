import type { ReadChoices } from 'tall-kite/model/choices';

/** One file on its way to the server. */
export interface Upload {
  key: number;
  name: string;
  bytes: number;
  sent: number;
  state: 'sending' | 'refused' | 'cancelled' | 'done';
  sentence: string | null;
  cancel: () => void;
}

let next = 1;

/** Files go one after another, so that a job holds its designs in the order in which they were brought in. */
let line: Promise<void> = Promise.resolve();

/** A file for a job, and what it is there: the next revision of a design, or another one. */
export interface Sending {
  jobId: string;
  file: File;
  mostBytes: number;
  choices: ReadChoices;
  replaces: string | null;
  variant: string;
}

/** Sends a file as it is, after those before it; `told` is called with a fresh copy at each change. */
export function sendFile({ jobId, file, mostBytes, choices, replaces, variant }: Sending, told: (upload: Upload) => void): void {
  const request = new XMLHttpRequest();
  let upload: Upload = { key: next++, name: file.name, bytes: file.size, sent: 0, state: 'sending', sentence: null, cancel: () => cancel() };
  const say = (change: Partial<Upload>) => told((upload = { ...upload, ...change }));
  const cancelled = () => say({ state: 'cancelled', sentence: 'Cancelled; nothing was kept.' });
  // A request that isn't under way yet can't be aborted: it is only never begun.
  const cancel = () => (request.readyState === XMLHttpRequest.UNSENT ? cancelled() : request.abort());
  if (file.size > mostBytes || file.size === 0) {
    const sentence =
      file.size === 0
        ? 'The file is empty (0 bytes). Export it again.'
        : `The file has ${(file.size / 2 ** 20).toFixed(0)} MB; at most ${mostBytes / 2 ** 20} MB are taken. Export fewer parts at a time.`;
    say({ state: 'refused', sentence });
    return;
  }
  request.upload.onprogress = (event) => say({ sent: event.loaded });
  request.onload = () => {
    if (request.status < 300) return say({ state: 'done', sent: file.size });
    let sentence = `The server answered ${request.status}. Try again.`;
    try {
      const { error } = JSON.parse(request.responseText);
      sentence = `${error.message} ${error.remedy}`;
    } catch {
      // not a sentence of ours
    }
    say({ state: 'refused', sentence });
  };
  request.onerror = () => say({ state: 'refused', sentence: 'The connection broke off; nothing was kept. Try again.' });
  request.onabort = cancelled;
  const query = new URLSearchParams({
    name: file.name,
    choices: JSON.stringify(choices),
    ...(replaces ? { replaces } : {}),
    ...(variant ? { variant } : {}),
  });
  say({});
  line = line.then(
    () =>
      new Promise((ended) => {
        if (upload.state !== 'sending') return ended();
        request.onloadend = () => ended();
        request.open('POST', `/api/jobs/${jobId}/designs?${query}`);
        request.send(file);
      }),
  );
}
