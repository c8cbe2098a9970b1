import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { keptName, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { transaction } from '@/store/database'
import { listHooks, putHook, removeHook } from '@/store/hooks'

export const GET = route('GET /api/v1/webhooks/[name]', ({ params }) => STATES['/api/v1/webhooks/[name]'](params))

/** Tells a program elsewhere of changes from now on, or from after one; its secret is never shown again. */
export const PUT = route('PUT /api/v1/webhooks/[name]', async ({ actor, params, body }) => {
  const { secret: given, ...rest } = await body()
  const name = keptName(params.name)
  for (const table of rest.tables ?? []) await tableOf(table)
  if (name.length > 80) throw new Problem(422, 'Not valid', 'A webhook’s name has 1 to 80 characters.')
  if (!(await transaction(pool(), (db) => putHook(db, { name, ...rest, secret: given ?? null }, actor.person))))
    throw new Problem(422, 'Not valid', 'Give a secret of at least 12 characters, by which the program can tell that a call is Rappel’s.')
  return (await listHooks(pool())).find((hook) => hook.name === name)
})

/** Tells it no more. */
export const DELETE = route('DELETE /api/v1/webhooks/[name]', async ({ params }) => {
  if (!(await transaction(pool(), (db) => removeHook(db, params.name)))) throw new Problem(404, 'Not found', `There is no webhook ${JSON.stringify(params.name)}.`)
  return new Response(null, { status: 204 })
})
