import { metricsText } from '@/app/_server/metrics'
import { route } from '@/app/_server/route'

/** What is measured, for Prometheus and whoever reads its text. */
export const GET = route(
  'GET /metrics',
  async () => new Response(await metricsText(), { headers: { 'content-type': 'text/plain; version=0.0.4; charset=utf-8', 'cache-control': 'no-store' } }),
)
