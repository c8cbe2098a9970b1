import { existsSync, readFileSync } from 'node:fs'

/** What the processors have done since the machine started, in ticks. */
export interface Ticks {
  readonly used: number
  /** What the host gave to others while this machine had work. */
  readonly stolen: number
  readonly all: number
}

/** What the processors have done so far, as Linux counts it (proc(5), /proc/stat: user, nice, system, idle, iowait, irq, softirq, steal); null elsewhere. */
export function readTicks(): Ticks | null {
  if (!existsSync('/proc/stat')) return null
  const [first = ''] = readFileSync('/proc/stat', 'utf8').split('\n')
  const [user = 0, nice = 0, system = 0, idle = 0, waiting = 0, irq = 0, soft = 0, stolen = 0] = first.trim().split(/\s+/).slice(1).map(Number)
  const used = user + nice + system + irq + soft
  return { used, stolen, all: used + idle + waiting + stolen }
}

/** How busy the machine was between two looks, in a sentence: figures of a machine whose host gave its time to others are not those of another. */
export function processorLine(from: Ticks | null, to: Ticks | null): string[] {
  if (!from || !to || to.all === from.all) return []
  const share = (ticks: number) => `${Math.round((100 * ticks) / (to.all - from.all))} in 100`
  return [`Of the processors' time ${share(to.used - from.used)} was used, and ${share(to.stolen - from.stolen)} the host gave to others.`]
}
