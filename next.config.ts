import type { NextConfig } from 'next'

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  serverExternalPackages: ['pg', '@node-rs/argon2', 'pino', 'nodemailer', 'graphile-worker', 'mailparser'],
  experimental: { authInterrupts: true },
}

export default config
