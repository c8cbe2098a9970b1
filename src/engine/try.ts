import { type Occasion, stayKey, stayOccasion } from '@/core/cues/occasion'
import type { Saw, Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import type { Group } from '@/core/paths/lookups'
import { after, durationWords } from '@/core/values/duration'
import { formatInstant } from '@/core/values/format'
import { waits } from '@/core/workflow/compiled'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { loadNeeds } from '@/store/lookups'
import { gateDry, gateFirst } from './limits/known'
import { decidingOnly, staysOf } from './program'
import { type Load, settle } from './settle'

/** What a workflow would do about an occasion, and what it saw that no log tells of afterwards; or why it would fail. */
export type Tried = { readonly plan: Plan; readonly saw: Saw } | { readonly fault: string }

/**
 * Works out what a workflow would do about an occasion; with linked data as it is now and after all that passed its limits, unless data is loaded otherwise: then as the first of its kind. Nothing is sent or
 * written.
 * A change at which something becomes true that is to stay so is tried as if it stayed so.
 */
export async function tryWorkflow(db: Queryable, workflow: Workflow, occasion: Occasion, surroundings: Surroundings, load?: Load): Promise<Tried> {
  if (occasion.kind !== 'change' || !waits(workflow.cue)) return tryOnce(db, workflow, occasion, surroundings, load)
  const began = await tryOnce(db, decidingOnly(workflow), occasion, surroundings, load)
  const stays = staysOf(workflow)
  if ('fault' in began || !began.plan.fires || !stays || !occasion.after) return began
  const { change, table, record, by, at } = occasion
  const due = after(at, stays, surroundings.organisation.zone)
  const stayed = stayOccasion({ key: stayKey(change.id), table, record, change, since: at, due, by, image: occasion.after })
  const tried = await tryOnce(db, workflow, stayed, surroundings, load)
  if ('fault' in tried) return tried
  const why = `${began.plan.why} If it stays so for ${durationWords(workflow.cue.stays)}, until ${formatInstant(due.toISOString(), surroundings.organisation)}, this happens.`
  return { ...tried, plan: { ...tried.plan, clauses: began.plan.clauses, ...(tried.plan.fires ? { why } : {}) } }
}

async function tryOnce(db: Queryable, workflow: Workflow, occasion: Occasion, surroundings: Surroundings, load?: Load): Promise<Tried> {
  const loading = { setting: surroundings, dry: true }
  const seen = new Map<string, unknown>()
  const [settled] = await settle(db, [{ compiled: compileWorkflow(workflow, surroundings), occasion }], true, loading, {}, async (needs, loaded) => {
    if (load) await load(needs, loaded)
    else await loadNeeds(db, needs, loaded, loading)
    for (const [key, value] of loaded) seen.set(key, value)
  })
  if (!settled || 'fault' in settled) return settled ?? { fault: 'Nothing came of it.' }
  const dry = { occasion, plan: settled.plan }
  const plan = load ? gateFirst(dry, workflow, surroundings.organisation) : (await gateDry(db, [dry], workflow, surroundings.organisation))[0]
  return { plan: must(plan), saw: sawOf(seen) }
}

const membersOf = ({ people, addresses }: Group) => ({ people: people.map((p) => String(p.email)), addresses: [...addresses] })

/** Of loaded data, by the keys of needs: the groups, and the addresses that were suppressed. */
function sawOf(seen: ReadonlyMap<string, unknown>): Saw {
  const groups = new Map<string, { people: string[]; addresses: string[] }>()
  const suppressed: string[] = []
  for (const [key, value] of seen) {
    const [kind = ''] = key.split(' ', 1)
    const name = key.slice(kind.length + 1)
    if (kind === 'group' && value) groups.set(name, membersOf(value as Group)) // what a group's key holds
    if (kind === 'suppression' && value === true) suppressed.push(name)
  }
  return { ...(groups.size ? { groups: Object.fromEntries(groups) } : {}), suppressed }
}
