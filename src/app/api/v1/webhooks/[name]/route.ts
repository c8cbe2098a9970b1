import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { secret, shaped, webAddress } from '@/app/_server/shape'
import { transaction } from '@/store/database'
import { listHooks, putHook, removeHook } from '@/store/hooks'

const hookSchema = yup
  .object({
    url: webAddress().required(),
    secret: secret(),
    tables: yup.array(yup.string().strict().required()).strict().min(1).nullable().default(null),
    after: yup.number().strict().integer().min(0).nullable().default(null),
  })
  .noUnknown()
  .strict()

/** Tells a program elsewhere of changes from now on, or from after one; its secret is never shown again. */
export const PUT = route('PUT /api/v1/webhooks/[name]', async ({ actor, params, json }) => {
  const { secret: given, ...rest } = shaped(hookSchema, await json(), 'The webhook was not kept.')
  const name = params.name.trim()
  for (const table of rest.tables ?? []) await tableOf(table)
  if (!name || name.length > 80) throw new Problem(422, 'Not valid', 'A webhook’s name has 1 to 80 characters.')
  if (!(await transaction(pool(), (db) => putHook(db, { name, ...rest, secret: given ?? null }, actor.person))))
    throw new Problem(422, 'Not valid', 'Give a secret of at least 12 characters, by which the program can tell that a call is Rappel’s.')
  return (await listHooks(pool())).find((hook) => hook.name === name)
})

/** Tells it no more. */
export const DELETE = route('DELETE /api/v1/webhooks/[name]', async ({ params }) => {
  if (!(await transaction(pool(), (db) => removeHook(db, params.name)))) throw new Problem(404, 'Not found', `There is no webhook ${JSON.stringify(params.name)}.`)
  return new Response(null, { status: 204 })
})
