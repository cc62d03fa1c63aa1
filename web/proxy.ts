import { NextResponse, type NextRequest } from 'next/server';
import { hostAllowed } from './server/guard.ts';

/** Pages: a foreign Host is refused, and every page gets a policy with a nonce of its own. The API checks for itself. */
export function proxy(request: NextRequest) {
  if (!hostAllowed(request.headers.get('host'))) return new NextResponse('This address is not served here.', { status: 403 });
  const nonce = btoa(crypto.randomUUID());
  const policy = [
    "default-src 'none'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic'`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self'",
    "manifest-src 'self'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
  const headers = new Headers(request.headers);
  headers.set('Content-Security-Policy', policy);
  headers.set('x-nonce', nonce);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set('Content-Security-Policy', policy);
  return response;
}

export const config = { matcher: ['/((?!api/|_next/static|_next/image|kernel/|favicon).*)'] };
