import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { beginStays, type NewStay } from '@/store/stays'
import type { Pair } from '../fire'
import type { Firing } from '../persist'
import { type Fate, followThrough } from '../rehearsal/follow-through'
import { Past } from '../rehearsal/past'
import { stayOf } from './follow'

/**
 * What became, by the log, of conditions that became true while a workflow was paused and are handled after it: those that still hold wait on, those that were broken are noted, and those
 * whose time is over are answered, to be decided about.
 */
export async function followLate(db: Queryable, begun: readonly (Firing & Pair)[], surroundings: Surroundings, now: Date): Promise<Pair[]> {
  const past = new Past(db, { setting: surroundings, dry: true })
  const pairs: Pair[] = []
  for (const firing of begun) {
    const { live, occasion } = firing
    const stay = stayOf(firing, surroundings.organisation.zone)
    if (!stay || !live.compiled || !live.stays || !occasion.change) continue
    const [fate] = await followThrough(db, past, live.compiled, live.stays, [occasion.change], now)
    if (fate?.kind === 'stayed') pairs.push({ live, occasion: fate.occasion })
    if (fate) await beginStays(db, [ended(stay, fate)])
  }
  return pairs
}

function ended(stay: NewStay, fate: Fate): NewStay {
  if (fate.kind === 'waiting') return stay
  if (fate.kind === 'broken') return { ...stay, outcome: 'broken', ended_at: fate.by.at, ended_by: fate.by.id }
  return { ...stay, outcome: 'fired', ended_at: stay.due_at }
}
