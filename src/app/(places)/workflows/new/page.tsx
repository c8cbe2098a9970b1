import type { Metadata } from 'next'
import { keeperFor } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import type { Workflow } from '@/core/document/document'
import { forTable, freeName } from '@/core/document/exchange'
import { proposedName } from '@/core/words/proposed-name'
import { startersOf, valueStartersOf } from '@/core/words/starters'
import { listWorkflows } from '@/store/workflows'
import { BriefEditor } from '@/ui/editor/brief-editor'
import { wordingOf } from '@/ui/editor/setting'
import { NEVER_SAVED } from '@/ui/editor/standing'
import { FromWords } from '@/ui/words/from-words'

export const metadata: Metadata = { title: 'New workflow' }

interface Asked {
  readonly table?: string
  readonly starter?: string
  /** `me`: the starter writes to whoever opens it, whom ever the record names. */
  readonly tell?: string
  /** Name of a workflow to begin from. */
  readonly copy?: string
  /** `words`: from what was said on another page. */
  readonly from?: string
  /** When they were said, which tells one from the next. */
  readonly at?: string
}

/** A workflow to be made: from nothing, from a starter of a table, or from a copy of another, also for another table. */
export default async function NewWorkflow({ searchParams }: { searchParams: Promise<Asked> }) {
  const actor = await visitor('PAGE /workflows/new')
  const mine = actor.role === 'member' ? actor.email : null
  const [asked, setting, workflows] = await Promise.all([searchParams, editorSetting(mine, actor.email), listWorkflows(pool())])
  const tables = setting.tables.filter((t) => t.name !== 'person')
  const table = tables.find((t) => t.name === asked.table) ?? tables.find((t) => t.name === 'claims') ?? tables[0]
  const only = mine ?? (asked.tell === 'me' ? actor.email : null)
  const drawing = { wording: wordingOf(setting), mine: only, otherwise: actor.email }
  const starter = table && asked.starter ? [...startersOf(table, drawing), ...valueStartersOf(table, drawing)].find((s) => s.key === asked.starter) : undefined
  const copied = asked.copy ? workflows.find((w) => w.name === asked.copy && (keeperFor('PAGE /workflows', actor) ?? w.keeper) === w.keeper)?.draft : undefined
  const taken = new Set(workflows.map((w) => w.name))
  if (asked.from === 'words') return <FromWords key={asked.at} setting={setting} />
  const blank: Workflow = {
    rappel: 'workflow/1',
    name: '',
    table: table?.name ?? '',
    cue: { kind: 'record', on: ['created'] },
    actions: [],
  }
  const begun = copied
    ? forTable(copied, asked.table ?? copied.table, new Map(tables.map((t) => [t.name, t])), `Copy of ${copied.name}`)
    : (starter?.workflow ?? { ...blank, name: proposedName(blank, drawing.wording) })
  const document = { ...begun, name: freeName(begun.name, taken) }
  const opened = copied ? undefined : (starter?.opened ?? '/cue')
  return (
    <BriefEditor
      key={`${asked.table} ${asked.starter} ${asked.copy}`}
      workflow={{ document, name: null, savedAt: null, ...NEVER_SAVED, opened, isGuessed: starter !== undefined && only === null }}
      setting={setting}
    />
  )
}
