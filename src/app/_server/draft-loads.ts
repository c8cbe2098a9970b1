import { saysTheSame } from '@/core/document/same'
import type { Load } from '@/core/limits/load'
import { faultOf } from '@/core/must'
import { spanOfDays } from '@/engine/evidence'
import { readSchema } from '@/store/tables'
import { listWorkflows } from '@/store/workflows'
import { pool } from './environment'
import { rehearsed } from './rehearsals'
import { findingsOf } from './workflows'

/** Most drafts that are rehearsed for one look. */
const MOST = 20

/** What drafts that are not live would have sent over the last days, by rehearsal; those that cannot be rehearsed are named with why. */
export async function draftLoads(days: number): Promise<{ loads: Load[]; names: string[]; left: { name: string; why: string }[] }> {
  const [rows, schema, span] = await Promise.all([listWorkflows(pool()), readSchema(pool()), spanOfDays(pool(), days)])
  const drafts = rows.filter((w) => w.keeper === null && (w.state === 'draft' || !saysTheSame(w.draft, w.live)))
  const loads: Load[] = []
  const names: string[] = []
  const left: { name: string; why: string }[] = []
  for (const { draft, name: saved, state } of drafts.slice(0, MOST)) {
    const name = state === 'draft' ? saved : `${saved}, as edited`
    try {
      const findings = await findingsOf(draft, null, saved)
      const { byRecipient } = await rehearsed({ ...draft, name: saved }, findings, days, { span, samples: 0, live: null })
      const table = schema.get(draft.table)?.label ?? null
      for (const { address, messages } of byRecipient) loads.push({ address, workflow: name, table, mails: messages, again: 0 })
      if (byRecipient.length) names.push(name)
    } catch (error) {
      left.push({ name: saved, why: faultOf(error) })
    }
  }
  for (const { name } of drafts.slice(MOST)) left.push({ name, why: `Only ${MOST} drafts are rehearsed at once.` })
  return { loads, names, left }
}
