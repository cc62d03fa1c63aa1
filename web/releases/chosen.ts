/** Parts that a person chose in the ledger for the next release; kept for this tab. */
const key = (jobId: string) => `tall-kite-chosen-${jobId}`;

export function keepChosen(jobId: string, ids: string[]): void {
  sessionStorage.setItem(key(jobId), JSON.stringify(ids));
}

/** The chosen parts; null when nobody has chosen, which means all. */
export function chosenBefore(jobId: string): string[] | null {
  try {
    const ids: unknown = JSON.parse(sessionStorage.getItem(key(jobId)) ?? 'null');
    return Array.isArray(ids) && ids.length > 0 ? ids.filter((id) => typeof id === 'string') : null;
  } catch {
    return null;
  }
}
