import type { Pool } from 'pg'
import { allFigures } from '@/core/figures/computed'
import { unitOf } from '@/core/figures/groups'
import { shownValue } from '@/core/figures/words'
import type { Organisation } from '@/core/values/tables'
import { titlesOfGroups } from '@/engine/figures/past'
import { listBeyond, listDrifts, listNearing } from '@/store/figures/check'
import { readSchema } from '@/store/tables'

/** Groups near a threshold that Today shows. */
const SHOWN = 3

/** What Today says of figures: those beyond a threshold, the groups nearest to one, and what the nightly check put right since a moment. */
export async function figuresToday(db: Pool, since: Date, organisation: Organisation) {
  const [beyond, nearing, drifts, schema] = await Promise.all([listBeyond(db), listNearing(db, SHOWN), listDrifts(db, since), readSchema(db)])
  const all = allFigures(schema)
  const near = nearing.flatMap((row) => {
    const figure = all.get(row.name)
    return figure ? [{ ...row, figure }] : []
  })
  const titled = near.map(async ({ figure, name, threshold, grp, value }) => ({
    name,
    threshold,
    group: (await titlesOfGroups(db, figure, { schema }, [grp])).get(grp) ?? '',
    value: shownValue(unitOf(figure, schema), value, organisation),
  }))
  return { figures: [...all.values()], beyond, nearing: await Promise.all(titled), drifts: drifts.map((d) => ({ ...d, at: d.at.toISOString() })) }
}
