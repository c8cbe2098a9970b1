import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { visibleRow } from '@/app/_server/workflows'
import { standingAnswer } from '@/engine/answers/workflow'
import { BriefEditor } from '@/ui/editor/brief-editor'
import { sent } from '@/ui/parts/sent'

type Params = { params: Promise<{ name: string }> }

export async function generateMetadata({ params }: Params): Promise<Metadata> {
  return { title: (await params).name }
}

export default async function WorkflowPage({ params }: Params) {
  const actor = await visitor('PAGE /workflows/[name]')
  const row = await visibleRow(actor, await nameOf(params))
  if (!row) notFound()
  const { name, draft, draft_saved_at } = row
  const [setting, standing] = await Promise.all([
    editorSetting({ onlyTo: actor.role === 'member' ? actor.email : row.keeper_email, me: actor.email, said: draft }),
    standingAnswer(pool(), row),
  ])
  return <BriefEditor key={name} workflow={{ document: draft, name, savedAt: draft_saved_at.toISOString(), ...standing }} setting={sent(setting)} />
}
