import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import type { Figure } from '@/core/document/figure'
import { tableOfFigure } from '@/core/figures/computed'
import { type ReviewSetting, review } from '@/core/review/review'
import { usesOf } from '@/core/workflow/uses'
import type { Use } from '@/store/design/mentions'
import { listFigures } from '@/store/figures/definitions'
import { withFigures } from '@/store/tables'
import { listLive } from '@/store/workflows'
import { readReviewSetting } from '../program'

/** The live workflows that wait for a figure, or go through its groups, and could not do what they say any more with it as it is edited: a threshold that is gone, another grouping. */
export async function breaksByFigure(pool: Pool, figure: Figure): Promise<Use[]> {
  const using = (await listLive(pool)).filter(({ live }) => usesOf(live, 'figure').includes(figure.name))
  if (using.length === 0) return []
  const [setting, figures] = [await readReviewSetting(pool), await listFigures(pool)]
  const all = new Map([...figures.map(({ definition }) => definition), figure].map((definition) => [definition.name, definition]))
  const edited = [...all.values()].map((definition) => ({ tbl: tableOfFigure(definition, all) ?? '', definition }))
  const after = { ...setting, schema: withFigures(setting.schema, edited) }
  const isSound = (document: Workflow, by: ReviewSetting) => !review(document, by).some((finding) => finding.level === 'error')
  return using.filter(({ live }) => isSound(live, setting) && !isSound(live, after)).map(({ name }): Use => ({ kind: 'workflow', name, inForce: true }))
}
