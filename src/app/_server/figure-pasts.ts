import { LRUCache } from 'lru-cache'
import type { Figure } from '@/core/document/figure'
import type { ReadPast } from '@/engine/figures/past'
import { Counted } from './counted'
import { apart, now } from './environment'

/** Figures whose last days are kept. */
const MOST = 200

const kept = new LRUCache<string, Counted<ReadPast>>({ max: MOST })

/** What a figure went through in the last days, as a small picture needs it: where it moves often that takes long to work out, and is shown again for a while (`Counted`), as long as the generation of definitions is the same. Null where it cannot be had. */
export function lastDaysOf(figure: Figure, days: number, generation: number): Promise<ReadPast | null> {
  const key = JSON.stringify([figure, days])
  const counted = kept.get(key) ?? new Counted(() => workedOut(figure, days))
  kept.set(key, counted)
  return counted.get(generation).catch(() => null)
}

async function workedOut(figure: Figure, days: number): Promise<ReadPast> {
  const to = await now()
  return apart().run('figure past', { figure, span: { from: new Date(to.getTime() - days * 86_400_000), to }, group: null })
}
