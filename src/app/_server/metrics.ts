import { AggregatorRegistry, Counter, collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client'
import { listBroken } from '@/store/broken'
import { readMeters } from '@/store/meters'
import { countNotices } from '@/store/notice-log'
import { pool } from './environment'
import { waitsNow } from './health'
import { kept } from './kept'

/** What the web process measures of itself. */
export function webMetrics() {
  return kept('metrics', () => {
    const registry = new Registry()
    collectDefaultMetrics({ register: registry })
    return {
      registry,
      calls: new Histogram({
        name: 'rappel_call_seconds',
        help: 'How long calls took.',
        labelNames: ['status'],
        buckets: [0.005, 0.02, 0.05, 0.1, 0.3, 1, 3, 10, 30],
        registers: [registry],
      }),
      rehearsals: new Counter({ name: 'rappel_rehearsals_total', help: 'Rehearsals that were done.', registers: [registry] }),
      rehearsal: new Histogram({ name: 'rappel_rehearsal_seconds', help: 'How long rehearsals took.', buckets: [0.05, 0.1, 0.3, 1, 3, 10, 30, 60], registers: [registry] }),
    }
  })
}

/** Ages and lengths of queues, as the database has them now. */
async function queues(): Promise<Registry> {
  const registry = new Registry()
  const gauge = (name: string, help: string, value: number | null) => new Gauge({ name, help, registers: [registry] }).set(value ?? 0)
  const [{ backlog, oldestChange, oldestMessage, oldestRun, oldestMoment }, broken, notices] = await Promise.all([waitsNow(), listBroken(pool()), countNotices(pool())])
  gauge('rappel_broken_workflows', 'Live workflows that cannot do what they say.', broken.length)
  gauge('rappel_changes_waiting', 'Changes that wait to be handled.', backlog)
  gauge('rappel_oldest_change_seconds', 'How long the oldest change has waited.', oldestChange)
  gauge('rappel_oldest_message_seconds', 'How long the oldest message that is due has waited.', oldestMessage)
  gauge('rappel_oldest_run_seconds', 'How long the oldest run that is due has waited.', oldestRun)
  gauge('rappel_oldest_moment_seconds', 'How long what the clock should have set off has waited.', oldestMoment)
  gauge('rappel_notices_waiting', 'Notices that wait for their channels.', notices.waiting)
  gauge('rappel_notices_failed', 'Notices that could not be given, of those that are kept.', notices.failed)
  return registry
}

/** All that is measured, of every process, in Prometheus' text format (0.0.4). */
export async function metricsText(): Promise<string> {
  const [meters, now] = await Promise.all([readMeters(pool()), queues()])
  const own = await webMetrics().registry.getMetricsAsJSON()
  const all = AggregatorRegistry.aggregate([...meters, own])
  return `${await all.metrics()}${await now.metrics()}`
}
