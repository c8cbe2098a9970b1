import { apart, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { keptName, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { STATES } from '@/app/_server/states'
import { refuseInUse } from '@/app/_server/uses'
import type { Attach } from '@/core/document/document'
import { formatOf } from '@/core/message/format'
import { transaction } from '@/store/database'
import { listTemplates, putTemplate, removeTemplate } from '@/store/templates'

export const GET = route('GET /api/v1/templates/[name]', ({ params }) => STATES['/api/v1/templates/[name]'](params))

/** Makes a template or a new version of it, when every placeholder in it leads somewhere. */
export const PUT = route('PUT /api/v1/templates/[name]', async ({ actor, params, body }) => {
  const name = keptName(params.name)
  const { table, subject, body: text, format, priority = 'normal', attachments: attached } = await body()
  await tableOf(table)
  const template = { name, table, subject, body: text, format: format ?? formatOf(text), priority, attachments: (attached ?? []) as Attach[] }
  const problems = await apart().run('review template', { template })
  if (problems.length) throw new Problem(422, 'Not valid', 'The template was not saved.', { problems })
  await transaction(pool(), (db) => putTemplate(db, template, actor.person))
  return (await listTemplates(pool())).find((t) => t.name === name)
})

/** Deletes a template that no workflow sends, with its versions. */
export const DELETE = route('DELETE /api/v1/templates/[name]', async ({ params: { name } }) => {
  await refuseInUse('template', name)
  if (!(await transaction(pool(), (db) => removeTemplate(db, name)))) throw new Problem(404, 'Not found', `There is no template ${JSON.stringify(name)}.`)
  return new Response(null, { status: 204 })
})
