import type { NextConfig } from 'next'

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  typescript: { ignoreBuildErrors: true }, // npm test checks the types of everything; a newcomer's first start need not wait for it
  serverExternalPackages: ['pg', '@node-rs/argon2', 'pino', 'nodemailer', 'graphile-worker'],
  experimental: { authInterrupts: true },
  headers: async () => [{ source: '/_next/:path*', headers: [{ key: 'x-content-type-options', value: 'nosniff' }] }],
}

export default config
