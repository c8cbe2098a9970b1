import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { usersOf } from '@/app/_server/uses'
import { must } from '@/core/must'
import type { Template } from '@/core/workflow/surroundings'
import { readSchema } from '@/store/tables'
import { listTemplates, listTemplateVersions } from '@/store/templates'
import { sent } from '@/ui/parts/sent'
import { TemplateEditor } from '@/ui/templates/editor'

type Props = { params: Promise<{ name: string }>; searchParams: Promise<{ copy?: string; table?: string }> }

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: (await params).name }
}

/** A template with its rendering for a real record; `new` makes one, also from a copy. */
export default async function TemplatePage({ params, searchParams }: Props) {
  await visitor('PAGE /templates/[name]')
  const name = await nameOf(params)
  const [templates, schema, asked] = await Promise.all([listTemplates(pool()), readSchema(pool()), searchParams])
  const found = templates.find((t) => t.name === (name === 'new' ? asked.copy : name))
  if (name !== 'new' && !found) notFound()
  const tables = [...schema.values()].filter((t) => t.name !== 'person')
  const table = tables.find((t) => t.name === asked.table) ?? tables[0]
  const blank: Template = { name: 'New template', table: table?.name ?? '', subject: '', body: '', format: 'rich', priority: 'normal' }
  const template = name === 'new' ? { ...(found ?? blank), name: found ? `Copy of ${found.name}` : blank.name } : must(found)
  return (
    <TemplateEditor
      key={name}
      template={template}
      kept={name === 'new' ? null : name}
      version={found && name !== 'new' ? found.version : null}
      versions={name === 'new' ? [] : (await listTemplateVersions(pool(), name)).map((v) => ({ ...v, at: v.at.toISOString() }))}
      users={name === 'new' ? [] : await usersOf('template', name)}
      setting={sent(await editorSetting({ onlyTo: null, me: null, said: template }))}
    />
  )
}
