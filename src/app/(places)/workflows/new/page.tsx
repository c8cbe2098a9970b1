import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { listWorkflows } from '@/store/workflows'
import { BriefEditor } from '@/ui/editor/brief-editor'

export const metadata: Metadata = { title: 'New workflow' }

export default async function NewWorkflow({ searchParams }: { searchParams: Promise<{ table?: string }> }) {
  await visitor('PAGE /workflows/new')
  const [{ table: asked }, setting, workflows] = await Promise.all([searchParams, editorSetting(), listWorkflows(pool())])
  const table =
    setting.tables.find((t) => t.name === asked && t.name !== 'person') ?? setting.tables.find((t) => t.name === 'claims') ?? setting.tables.find((t) => t.name !== 'person')
  const name = freeName(table ? `New ${table.singular}` : 'New workflow', new Set(workflows.map((w) => w.name)))
  const document = { rappel: 'workflow/1' as const, name, table: table?.name ?? '', cue: { kind: 'record' as const, on: ['created' as const] }, actions: [] }
  return <BriefEditor workflow={{ document, name: null, state: 'draft', version: null, live: null, firings: 0, messages: 0 }} setting={setting} />
}

function freeName(wanted: string, taken: ReadonlySet<string>): string {
  let name = wanted
  for (let n = 2; taken.has(name); n++) name = `${wanted} ${n}`
  return name
}
