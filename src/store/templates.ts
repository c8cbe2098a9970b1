import type { Template } from '@/core/workflow/surroundings'
import { many, maybeOne, type Queryable, touch } from './database'
import { changeSender } from './mail/sender'
import { removeNamed } from './named'

/** A template as it is kept. */
export interface TemplateRow extends Template {
  readonly version: number
}

/** Every template, by name. */
export function listTemplates(db: Queryable): Promise<TemplateRow[]> {
  return many<TemplateRow>(db, 'select name, table_name as table, subject, body, format, priority, attachments, version from rappel.template order by name')
}

/** A version that a template has or had. */
export interface TemplateVersion {
  readonly version: number
  readonly document: Template
  readonly at: Date
  /** Name of whoever saved it. */
  readonly by: string | null
}

/** Every version of a template, the newest first. */
export function listTemplateVersions(db: Queryable, name: string): Promise<TemplateVersion[]> {
  return many<TemplateVersion>(
    db,
    `select v.version, v.document, v.at, p.name as by from rappel.template_version v left join rappel.person p on p.id = v.by
      where v.name = $1 order by v.version desc`,
    [name],
  )
}

/** Makes a template or a new version of it; the old version is kept. */
export async function putTemplate(db: Queryable, template: Template, by: number | null): Promise<number> {
  const { name, table, subject, body, format, priority, attachments = [] } = template
  const [{ version }] = (await many<{ version: number }>(
    db,
    `insert into rappel.template (name, table_name, subject, body, format, priority, attachments) values ($1, $2, $3, $4, $5, $6, $7)
     on conflict (name) do update set table_name = $2, subject = $3, body = $4, format = $5, priority = $6, attachments = $7, version = template.version + 1, updated_at = now()
     returning version`,
    [name, table, subject, body, format, priority, JSON.stringify(attachments)],
  )) as [{ version: number }]
  await touch(db, 'insert into rappel.template_version (name, version, document, by) values ($1, $2, $3, $4)', [name, version, JSON.stringify(template), by])
  await db.query('select rappel.next_generation()')
  return version
}

/** Removes a template with its versions; whether there was one. */
export const removeTemplate = (db: Queryable, name: string): Promise<boolean> => removeNamed(db, 'template', name)

export interface SenderRow {
  readonly name: string
  readonly display: string
  readonly address: string
}

/** Every sender identity, by name. */
export function listSenders(db: Queryable): Promise<SenderRow[]> {
  return many<SenderRow>(db, 'select name, display, address from rappel.sender order by name')
}

/** Makes or changes a sender identity; mail that waits to go from it is from what it is now. */
export async function putSender(db: Queryable, sender: SenderRow): Promise<void> {
  const was = await maybeOne<SenderRow>(db, 'select name, display, address from rappel.sender where name = $1', [sender.name])
  if (was) await changeSender(db, { name: was.display, address: was.address }, { name: sender.display, address: sender.address })
  await touch(db, 'insert into rappel.sender (name, display, address) values ($1, $2, $3) on conflict (name) do update set display = $2, address = $3', [
    sender.name,
    sender.display,
    sender.address,
  ])
  await db.query('select rappel.next_generation()')
}

/** Removes a sender identity; whether there was one. */
export const removeSender = (db: Queryable, name: string): Promise<boolean> => removeNamed(db, 'sender', name)
