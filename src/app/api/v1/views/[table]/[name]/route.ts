import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { conditionOf, objectOf, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import type { View } from '@/core/document/view'
import { fieldOf } from '@/core/values/tables'
import { putView, removeView } from '@/store/views'

const viewSchema = yup
  .object({
    order: yup.string().strict().max(500),
    group: yup.string().strict().max(60),
    columns: yup.array(yup.string().strict().required()).strict().min(1).max(1_600),
    widths: yup
      .mixed<Record<string, number>>()
      .test(
        'widths',
        '${path} is an object of fields and pixels',
        (given) => given === undefined || Object.values(given ?? {}).every((w) => Number.isInteger(w) && w >= 40 && w <= 1_200),
      ),
    frozen: yup.number().strict().integer().min(0).max(20),
    shared: yup.boolean().strict().default(false),
  })
  .noUnknown()
  .strict()

/** Everybody's views are for those who build workflows. */
function personOf(shared: boolean, actor: { readonly role: string; readonly person: number | null }): number | null {
  if (shared && actor.role === 'member') throw new Problem(403, 'Not allowed', 'Views for everybody are kept by editors and administrators.')
  if (!shared && actor.person === null) throw new Problem(422, 'Not valid', 'A token that acts as nobody keeps views for everybody alone: say `shared`.')
  return shared ? null : actor.person
}

/** Keeps a view of a table, for oneself or, `shared`, for everybody. */
export const PUT = route('PUT /api/v1/views/[table]/[name]', async ({ actor, params, json }) => {
  const { where, ...given } = objectOf(await json())
  const { shared, ...view } = shaped(viewSchema, given, 'The view was not kept.')
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
