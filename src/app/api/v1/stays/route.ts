import { now, pool } from '@/app/_server/environment'
import { askedRecord, pageLimit, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { callOffStays, listStays } from '@/store/stays'

/** What waits to have stayed so, or did: of a workflow, or of a record; `open` only what still waits, soonest first. */
export const GET = route('GET /api/v1/stays', async ({ query, keeper }) => {
  const limit = pageLimit(query)
  const after = query.get('after')
  const stays = await listStays(pool(), {
    workflow: query.get('workflow') ?? undefined,
    table: query.get('table') ?? undefined,
    record: await askedRecord(query),
    ...(after === null ? {} : { after: wholeNumber(after, 'after') }),
    open: query.get('open') === 'true',
    keeper,
    limit,
  })
  return { stays, next: stays.length === limit ? (stays.at(-1)?.id ?? null) : null }
})

/** Calls waits off, by their ids. */
export const DELETE = route('DELETE /api/v1/stays', async ({ actor, body, keeper }) => {
  const { ids } = await body()
  return { calledOff: await callOffStays(pool(), ids, actor.person, await now(), keeper) }
})
