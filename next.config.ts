import type { NextConfig } from 'next'

/**
 * Packages that the server takes from node_modules as they are. Bundled, they would stand in some thirty chunks each, be made smaller in every one of them at the build and be kept by the
 * server as often. The first row has to be left alone in any case.
 */
const AS_THEY_ARE = [
  ['pg', '@node-rs/argon2', 'pino', 'nodemailer', 'graphile-worker', '@opentelemetry/api', '@opentelemetry/sdk-trace-node', '@opentelemetry/exporter-trace-otlp-http'],
  ['exceljs', 'imapflow', 'yaml', 'lossless-json', 'html-to-text', 'email-addresses'],
  ['liquidjs', 'feelin', 're2js', 'decimal.js', 'yup', 'lru-cache', 'prom-client', 'rate-limiter-flexible'],
].flat()

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  typescript: { ignoreBuildErrors: true }, // npm test checks the types of everything; a newcomer's first start need not wait for it
  serverExternalPackages: AS_THEY_ARE,
  experimental: {
    authInterrupts: true,
    serverMinification: false, // a quarter of what else a build takes; and where a fault was can be read in the log
    turbopackSourceMaps: false, // a tenth of it, and most of its space
    turbopackFileSystemCacheForBuild: false, // the same again, and most of the rest of its space, to be sooner at the next build in the same folder
  },
  headers: async () => [{ source: '/_next/:path*', headers: [{ key: 'x-content-type-options', value: 'nosniff' }] }],
}

export default config
