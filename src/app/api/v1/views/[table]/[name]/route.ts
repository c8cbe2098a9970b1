import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { conditionOf, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import type { View } from '@/core/document/view'
import { fieldOf } from '@/core/values/tables'
import { putView, removeView } from '@/store/views'

/** Everybody's views are for those who build workflows. */
function personOf(shared: boolean, actor: { readonly role: string; readonly person: number | null }): number | null {
  if (shared && actor.role === 'member') throw new Problem(403, 'Not allowed', 'Views for everybody are kept by editors and administrators.')
  if (!shared && actor.person === null) throw new Problem(422, 'Not valid', 'A token that acts as nobody keeps views for everybody alone: say `shared`.')
  return shared ? null : actor.person
}

/** Keeps a view of a table, for oneself or, `shared`, for everybody. */
export const PUT = route('PUT /api/v1/views/[table]/[name]', async ({ actor, params, body }) => {
  const { where, shared, ...view } = await body()
  const { table } = await tableOf(params.table)
  const condition = where === undefined || where === null ? undefined : conditionOf(JSON.stringify(where))
  const named = [...(view.order?.split(',').map((o) => o.replace(/^-/, '')) ?? []), ...(view.group ? [view.group] : []), ...(view.columns ?? [])]
  const unknown = named.find((name) => !fieldOf(table, name))
  if (unknown !== undefined) throw new Problem(422, 'Not valid', `${table.label} has no field ${JSON.stringify(unknown)}.`)
  const kept: View = { ...view, ...(condition ? { where: condition } : {}) }
  await putView(pool(), table.name, params.name, personOf(shared, actor), kept)
  return { name: params.name, shared, view: kept }
})

/** Takes a view away: one's own, or with `shared=true` everybody's. */
export const DELETE = route('DELETE /api/v1/views/[table]/[name]', async ({ actor, params, query }) => {
  if (!(await removeView(pool(), params.table, params.name, personOf(query.get('shared') === 'true', actor))))
    throw new Problem(404, 'Not found', `There is no such view called ${JSON.stringify(params.name)}.`)
  return new Response(null, { status: 204 })
})
