/** Hosts that may be asked for: loopback, and what HOST names. A page elsewhere can't reach the app by another name. */
export function hostAllowed(host: string | null): boolean {
  if (!host) return false;
  const name = host.replace(/:\d+$/, '').toLowerCase();
  const own = (process.env.HOST ?? '').toLowerCase();
  if (['localhost', '127.0.0.1', '[::1]'].includes(name)) return true;
  return own !== '' && own !== '0.0.0.0' && name === own;
}

/** A request that changes something must come from our own pages (or from no page at all, as from a script). */
export function originAllowed(origin: string | null, host: string | null): boolean {
  if (origin === null) return true;
  try {
    return new URL(origin).host === host;
  } catch {
    return false;
  }
}
