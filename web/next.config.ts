import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { NextConfig } from 'next';

const root = dirname(dirname(fileURLToPath(import.meta.url)));

const common = [
  { key: 'X-Content-Type-Options', value: 'nosniff' },
  { key: 'Referrer-Policy', value: 'no-referrer' },
  { key: 'X-Frame-Options', value: 'DENY' },
  { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
  { key: 'Cross-Origin-Resource-Policy', value: 'same-origin' },
  { key: 'Permissions-Policy', value: 'camera=(), microphone=(), geolocation=()' },
];

/** The kernel makes its bindings at run time, so its worker, and nothing else, may evaluate text. */
const kernelPolicy = "default-src 'none'; script-src 'self' 'unsafe-eval' 'wasm-unsafe-eval'; connect-src 'self'";

const config: NextConfig = {
  poweredByHeader: false,
  // This machine serves itself: packing takes longer than sending.
  compress: false,
  reactStrictMode: true,
  turbopack: { root },
  outputFileTracingRoot: root,
  serverExternalPackages: ['pg', 'graphile-worker', 'pino'],
  async headers() {
    return [
      { source: '/:path*', headers: common },
      { source: '/api/:path*', headers: [{ key: 'Content-Security-Policy', value: "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'" }] },
      {
        source: '/kernel/:path*',
        headers: [
          { key: 'Content-Security-Policy', value: kernelPolicy },
          { key: 'Cache-Control', value: 'no-cache' },
        ],
      },
    ];
  },
};

export default config;
