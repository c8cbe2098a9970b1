import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { countPassedBy } from '@/store/catch-up'
import { countOutcome } from '@/store/today'
import { readWorkflowRow } from '@/store/workflows'
import { BriefEditor } from '@/ui/editor/brief-editor'

type Params = { params: Promise<{ name: string }> }

export async function generateMetadata({ params }: Params): Promise<Metadata> {
  return { title: decodeURIComponent((await params).name) }
}

export default async function WorkflowPage({ params }: Params) {
  await visitor('PAGE /workflows/[name]')
  const row = await readWorkflowRow(pool(), decodeURIComponent((await params).name))
  if (!row) notFound()
  const [setting, outcome, passed] = await Promise.all([editorSetting(), countOutcome(pool(), row.id), countPassedBy(pool())])
  const { name, state, version, draft, live } = row
  return (
    <BriefEditor
      key={name}
      workflow={{ document: draft, name, savedAt: row.draft_saved_at.toISOString(), state, version, live, ...outcome, passedBy: passed.get(name) ?? 0 }}
      setting={setting}
    />
  )
}
