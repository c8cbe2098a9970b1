import type { Pool } from 'pg'
import { allFigures } from '@/core/figures/computed'
import { unitOf } from '@/core/figures/groups'
import { shownValue } from '@/core/figures/words'
import { titlesOfGroups } from '@/engine/figures/past'
import { readSurroundings } from '@/engine/program'
import { listBeyond, listDrifts, listNearing } from '@/store/figures/check'
import { baseUrl } from './environment'

/** Groups near a threshold that Today shows. */
const SHOWN = 3

/** What Today says of figures: those beyond a threshold, the groups nearest to one, and what the nightly check put right since a moment. */
export async function figuresToday(db: Pool, since: Date) {
  const [beyond, nearing, drifts, setting] = await Promise.all([listBeyond(db), listNearing(db, SHOWN), listDrifts(db, since), readSurroundings(db, baseUrl())])
  const all = allFigures(setting.schema)
  const near = nearing.flatMap((row) => {
    const figure = all.get(row.name)
    return figure ? [{ ...row, figure }] : []
  })
  const titled = near.map(async ({ figure, name, threshold, grp, value }) => ({
    name,
    threshold,
    group: (await titlesOfGroups(db, figure, setting, [grp])).get(grp) ?? '',
    value: shownValue(unitOf(figure, setting.schema), value, setting.organisation),
  }))
  return { figures: [...all.values()], beyond, nearing: await Promise.all(titled), drifts: drifts.map((d) => ({ ...d, at: d.at.toISOString() })) }
}
