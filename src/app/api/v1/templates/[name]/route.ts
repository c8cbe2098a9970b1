import * as yup from 'yup'
import { apart, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import type { Attach } from '@/core/document/document'
import { attachments } from '@/core/document/schema'
import { formatOf } from '@/core/message/format'
import { transaction } from '@/store/database'
import { listTemplates, putTemplate } from '@/store/templates'

const text = () => yup.string().strict()

const templateSchema = yup
  .object({
    name: text(),
    table: text().required(),
    subject: text().required(),
    body: text().required(),
    format: text()
      .oneOf(['rich', 'plain'] as const)
      .default(undefined),
    priority: text()
      .oneOf(['low', 'normal', 'high'] as const)
      .default('normal'),
    attachments: attachments(),
  })
  .noUnknown()
  .strict()

/** Makes a template or a new version of it, when every placeholder in it leads somewhere. */
export const PUT = route('PUT /api/v1/templates/[name]', async ({ actor, params, json }) => {
  const name = params.name.trim()
  const { table, subject, body, format, priority, attachments: attached } = templateSchema.cast(shaped(templateSchema, await json(), 'The template was not saved.'))
  await tableOf(table)
  const template = { name, table, subject, body, format: format ?? formatOf(body), priority, attachments: (attached ?? []) as Attach[] }
  const problems = await apart().run('review template', { template })
  if (problems.length) throw new Problem(422, 'Not valid', 'The template was not saved.', { problems })
  await transaction(pool(), (db) => putTemplate(db, template, actor.person))
  return (await listTemplates(pool())).find((t) => t.name === name)
})
