import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { standingOf } from '@/app/_server/workflows'
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
  const [setting, standing] = await Promise.all([editorSetting(), standingOf(row)])
  const { name, draft, draft_saved_at } = row
  return <BriefEditor key={name} workflow={{ document: draft, name, savedAt: draft_saved_at.toISOString(), ...standing }} setting={setting} />
}
