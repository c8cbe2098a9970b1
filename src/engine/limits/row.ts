import { type Occasion, standingOf } from '@/core/cues/occasion'
import type { DigestRow } from '@/core/limits/digest-mail'
import { recordPath, type TableDef } from '@/core/values/tables'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import type { Plan } from '@/core/workflow/plan'

/** The singular and plural of what a digest's row of a table is about. */
export const nounOf = (table: TableDef | undefined): DigestRow['noun'] => [table?.singular.replaceAll('_', ' ') ?? 'record', table?.label.toLowerCase() ?? 'records']
export const FIGURE_NOUN: DigestRow['noun'] = ['figure', 'figures']

/** What is told of a run. */
interface Told {
  readonly live: { readonly name: string; readonly compiled?: CompiledWorkflow | null }
  readonly occasion: Occasion
  readonly title: string
}

/** What a digest says of a run: its title with a link, the columns asked for or what changed, and why one got it. */
export function rowOf({ live, occasion, title }: Told, plan: Plan, baseUrl: string, key: string): DigestRow {
  const standing = standingOf(occasion)
  const noun = standing ? FIGURE_NOUN : nounOf(live.compiled?.table)
  const link = occasion.record !== null ? `${baseUrl}${recordPath(occasion.table, occasion.record)}` : standing ? `${baseUrl}/figures/${standing.figure}` : null
  return { title: title || plan.whose || live.name, link, why: `${baseUrl}/why/${key}`, noun, columns: plan.columns ?? [], at: occasion.at.toISOString() }
}
