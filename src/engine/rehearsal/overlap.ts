import type { Change } from '@/core/changes/change'
import { must } from '@/core/must'
import { pointedAt } from '@/core/rehearsal/tally'
import type { Overlap } from '@/core/rehearsal/warnings'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import type { Plan } from '@/core/workflow/evaluate'
import { everybody } from '@/core/workflow/plan'
import type { Past } from './past'

/** A change that a draft fires for, and whom it would write to, in small letters. */
export interface Addressed {
  readonly change: Change
  readonly addresses: ReadonlySet<string>
}

const KEPT = 5

/** Everybody whom a plan writes to, in small letters. */
export function addressesOf(plan: Plan): Set<string> {
  return new Set(plan.messages.flatMap((m) => everybody(m).map((one) => one.address.toLowerCase())))
}

/** Which other workflows write to somebody whom a draft writes to on the same changes: for each the person it is most often, and some of the changes. */
export async function overlaps(past: Past, fired: readonly Addressed[], others: readonly CompiledWorkflow[]): Promise<Overlap[]> {
  const found: Overlap[] = []
  for (const other of others) {
    const changes = fired.map((f) => f.change)
    const settled = await past.settle(other, changes, false)
    const shared = new Map<string, Change[]>()
    settled.forEach((outcome, i) => {
      if (!('plan' in outcome) || !outcome.plan.fires) return
      const { change, addresses } = must(fired[i])
      for (const address of addressesOf(outcome.plan)) if (addresses.has(address)) shared.set(address, [...(shared.get(address) ?? []), change])
    })
    const [most] = [...shared].sort((a, b) => b[1].length - a[1].length || a[0].localeCompare(b[0]))
    if (most)
      found.push({
        workflow: other.workflow.name,
        address: most[0],
        count: most[1].length,
        of: fired.length,
        changes: most[1].slice(0, KEPT).map((c) => pointedAt(c, other.table)),
      })
  }
  return found
}
