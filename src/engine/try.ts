import type { Change } from '@/core/changes/change'
import type { Saw, Workflow } from '@/core/document/document'
import type { Group } from '@/core/paths/lookups'
import { compileWorkflow, type Plan } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import type { Queryable } from '@/store/database'
import { loadNeeds } from '@/store/lookups'
import { type Load, settle } from './settle'

/** What a workflow would do about a change, and what it saw that no log tells of afterwards; or why it would fail. */
export type Tried = { readonly plan: Plan; readonly saw: Saw } | { readonly fault: string }

/** Works out what a workflow would do about a change; with linked data as it is now, unless it is loaded otherwise. Nothing is sent or written. */
export async function tryWorkflow(db: Queryable, workflow: Workflow, change: Change, surroundings: Surroundings, load?: Load): Promise<Tried> {
  const loading = { setting: surroundings, dry: true }
  const seen = new Map<string, unknown>()
  const [settled] = await settle(db, [{ compiled: compileWorkflow(workflow, surroundings), change }], true, loading, {}, async (needs, loaded) => {
    if (load) await load(needs, loaded)
    else await loadNeeds(db, needs, loaded, loading)
    for (const [key, value] of loaded) seen.set(key, value)
  })
  if (!settled || 'fault' in settled) return settled ?? { fault: 'Nothing came of it.' }
  return { plan: settled.plan, saw: sawOf(seen) }
}

/** Of loaded data, by the keys of needs: the groups, and the addresses that were suppressed. */
function sawOf(seen: ReadonlyMap<string, unknown>): Saw {
  const groups: Record<string, { people: string[]; addresses: string[] }> = {}
  const suppressed: string[] = []
  for (const [key, value] of seen) {
    const [kind = ''] = key.split(' ', 1)
    const name = key.slice(kind.length + 1)
    if (kind === 'group' && value) groups[name] = { people: (value as Group).people.map((p) => String(p.email)), addresses: [...(value as Group).addresses] }
    if (kind === 'suppression' && value === true) suppressed.push(name)
  }
  return { ...(Object.keys(groups).length ? { groups } : {}), suppressed }
}
