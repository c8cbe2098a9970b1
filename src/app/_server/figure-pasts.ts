import { LRUCache } from 'lru-cache'
import type { Figure } from '@/core/document/figure'
import type { ReadPast } from '@/engine/figures/past'
import { readGeneration } from '@/store/generation'
import { Counted } from './counted'
import { apart, pool } from './environment'

/** Figures whose last days are kept. */
const MOST = 200

const kept = new LRUCache<string, Counted<ReadPast>>({ max: MOST })

/** What a figure went through in the last days, as a small picture needs it: where it moves often that takes long to work out, and is shown again for a while (`Counted`). Null where it cannot be had. */
export async function lastDaysOf(figure: Figure, days: number): Promise<ReadPast | null> {
  const key = JSON.stringify([figure, days])
  const counted =
    kept.get(key) ??
    new Counted(() => {
      const to = new Date()
      return apart().run('figure past', { figure, span: { from: new Date(to.getTime() - days * 86_400_000), to }, group: null })
    })
  kept.set(key, counted)
  return counted.get(await readGeneration(pool())).catch(() => null)
}
