/** A refusal of the server: a sentence and what to do. */
export class Refused extends Error {
  readonly status: number;
  readonly remedy: string;
  constructor(status: number, message: string, remedy: string) {
    super(message);
    this.status = status;
    this.remedy = remedy;
  }
}

/** Asks the server; gives its JSON, or throws `Refused` with the sentence it answered. */
export async function ask<T>(path: string, options: { method?: string; body?: unknown; text?: string; file?: Blob } = {}): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method: options.method ?? 'GET',
      headers: options.body === undefined ? undefined : { 'Content-Type': 'application/json' },
      body: options.file ?? options.text ?? (options.body === undefined ? undefined : JSON.stringify(options.body)),
    });
  } catch {
    throw new Refused(0, 'The server does not answer.', 'Check that it is still running; nothing typed here is lost.');
  }
  const data = await response.json().catch(() => null);
  if (!response.ok) {
    const error = data?.error ?? { message: `The server answered ${response.status}.`, remedy: 'Try again.' };
    throw new Refused(response.status, error.message, error.remedy);
  }
  return data as T;
}
