import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import { tableOfFigure } from '@/core/figures/computed'
import { type ReviewSetting, review } from '@/core/review/review'
import { usesOf } from '@/core/workflow/uses'
import type { Use } from '@/store/design/mentions'
import { listFigures } from '@/store/figures/definitions'
import { withFigures } from '@/store/tables'
import { listWorkflows } from '@/store/workflows'
import { readReviewSetting } from '../program'

/** The live workflows that wait for a figure, or go through its groups, and could not do what they say any more with it as it is edited: a threshold that is gone, another grouping. */
export async function breaksByFigure(pool: Pool, figure: Figure): Promise<Use[]> {
  const [setting, figures, workflows] = [await readReviewSetting(pool), await listFigures(pool), await listWorkflows(pool)]
  const using = workflows.filter(({ state, live }) => state === 'live' && live && usesOf(live, 'figure').includes(figure.name))
  if (using.length === 0) return []
  const all = new Map([...figures.map(({ definition }) => definition), figure].map((definition) => [definition.name, definition]))
  const edited = [...all.values()].map((definition) => ({ tbl: tableOfFigure(definition, all) ?? '', definition }))
  const after = { ...setting, schema: withFigures(setting.schema, edited) }
  const isSound = (document: (typeof using)[number]['live'], in_: ReviewSetting) => document !== null && !review(document, in_).some((finding) => finding.level === 'error')
  return using.filter(({ live }) => isSound(live, setting) && !isSound(live, after)).map(({ name }): Use => ({ kind: 'workflow', name, inForce: true }))
}
