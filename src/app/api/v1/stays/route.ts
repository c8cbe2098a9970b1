import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { askedRecord, objectOf, pageLimit, wholeNumber } from '@/app/_server/reading'
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
export const DELETE = route('DELETE /api/v1/stays', async ({ actor, json, keeper }) => {
  const { ids } = objectOf(await json())
  if (!Array.isArray(ids) || ids.length > 10_000 || !ids.every((id) => Number.isSafeInteger(id)))
    throw new Problem(422, 'Not valid', 'ids is a list of whole numbers, at most 10,000.')
  return { calledOff: await callOffStays(pool(), ids, actor.person, new Date(), keeper) }
})
