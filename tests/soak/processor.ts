import { existsSync, readFileSync } from 'node:fs'
import { pause } from './chance'

/** What the processors have done since the machine started, in ticks. */
interface Ticks {
  readonly used: number
  /** What the host gave to others while this machine had work. */
  readonly stolen: number
  readonly all: number
}

/** What the processors did while it was watched. */
export interface Processor {
  /** How busy the machine was, in a sentence; none where the system does not tell. */
  readonly told: readonly string[]
  /** Seconds since 1970 in which the host gave more than `MOST_STOLEN` of the processors' time to others. */
  readonly disturbed: ReadonlySet<number>
}

/** The share of a second that the host may give to others before what is measured in it is the host's rather than ours. */
const MOST_STOLEN = 0.02

/** What the processors have done so far, as Linux counts it (proc(5), /proc/stat: user, nice, system, idle, iowait, irq, softirq, steal); null elsewhere. */
function readTicks(): Ticks | null {
  if (!existsSync('/proc/stat')) return null
  const [first = ''] = readFileSync('/proc/stat', 'utf8').split('\n')
  const [user = 0, nice = 0, system = 0, idle = 0, waiting = 0, irq = 0, soft = 0, stolen = 0] = first.trim().split(/\s+/).slice(1).map(Number)
  const used = user + nice + system + irq + soft
  return { used, stolen, all: used + idle + waiting + stolen }
}

/** Watches each second what the processors do, until it is off: figures of a machine whose host gave its time to others are not those of another. */
export async function watchProcessor(isOn: () => boolean): Promise<Processor> {
  const disturbed = new Set<number>()
  const first = readTicks()
  for (let [before, at] = [first, Date.now()]; isOn(); ) {
    await pause(1_000)
    const [now, then] = [readTicks(), at]
    at = Date.now()
    if (before && now && (now.stolen - before.stolen) / Math.max(1, now.all - before.all) > MOST_STOLEN)
      for (let second = Math.floor(then / 1_000); second <= Math.floor(at / 1_000); second++) disturbed.add(second)
    before = now
  }
  return { told: lineOf(first, readTicks()), disturbed }
}

/** Whether the host let the machine be around a moment, in milliseconds since 1970: from a second before to two after, however long what began then took. */
export function isUndisturbed({ disturbed }: Processor, at: number): boolean {
  const second = Math.floor(at / 1_000)
  return ![second - 1, second, second + 1, second + 2].some((s) => disturbed.has(s))
}

function lineOf(from: Ticks | null, to: Ticks | null): string[] {
  if (!from || !to || to.all === from.all) return []
  const share = (ticks: number) => `${Math.round((100 * ticks) / (to.all - from.all))} in 100`
  return [`Of the processors' time ${share(to.used - from.used)} was used, and ${share(to.stolen - from.stolen)} the host gave to others.`]
}
