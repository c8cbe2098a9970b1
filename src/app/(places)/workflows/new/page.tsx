import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { pastChanges } from '@/app/_server/past-changes'
import { visibleRow } from '@/app/_server/workflows'
import type { Workflow } from '@/core/document/document'
import { forTable, freeName } from '@/core/document/exchange'
import type { TableDef } from '@/core/values/tables'
import { proposedName } from '@/core/words/proposed-name'
import { startersOf, valueStartersOf } from '@/core/words/starters'
import { readWording } from '@/engine/program'
import { MOST_MARKED } from '@/engine/propose'
import { listWorkflowNames } from '@/store/workflows'
import { BriefEditor } from '@/ui/editor/brief-editor'
import type { EditorSetting } from '@/ui/editor/setting'
import { NEVER_SAVED } from '@/ui/editor/standing'
import { Empty, Page, Title } from '@/ui/parts/page'
import { type Sent, sent } from '@/ui/parts/sent'
import { FromChanges } from '@/ui/propose/from-changes'
import { FromWords } from '@/ui/words/from-words'

export const metadata: Metadata = { title: 'New workflow' }

interface Asked {
  readonly table?: string
  readonly starter?: string
  /** `me`: the starter writes to whoever opens it, whom ever the record names. */
  readonly tell?: string
  /** Name of a workflow to begin from. */
  readonly copy?: string
  /** `words`: from what was said on another page; `changes`: from past changes. */
  readonly from?: string
  /** When they were said, which tells one from the next. */
  readonly at?: string
  /** `changes`: marks on past changes, by ids with spaces between; or records whose newest change is marked yes; of which workflow the firings are listed; how many are. */
  readonly yes?: string
  readonly no?: string
  readonly records?: string
  readonly within?: string
  readonly take?: string
}

/** Changes that are listed at first, and at most. */
const TAKE = 120
const MOST_TAKEN = 3_000

/** A workflow to be made: from nothing, from a starter of a table, or from a copy of another, also for another table. */
export default async function NewWorkflow({ searchParams }: { searchParams: Promise<Asked> }) {
  const actor = await visitor('PAGE /workflows/new')
  const mine = actor.role === 'member' ? actor.email : null
  const [asked, { schema, organisation, names }, workflows] = await Promise.all([searchParams, readWording(pool()), listWorkflowNames(pool(), null)])
  const settingFor = async (said?: unknown) => sent(await editorSetting({ onlyTo: mine, me: actor.email, said }))
  const tables = [...schema.values()].filter((t) => t.name !== 'person')
  const asOf = asked.within ? workflows.find((w) => w.name === asked.within)?.table : asked.table
  const table = tables.find((t) => t.name === asOf) ?? tables.find((t) => t.name === 'claims') ?? tables[0]
  const only = mine ?? (asked.tell === 'me' ? actor.email : null)
  const drawing = { wording: { schema, organisation, names }, mine: only, otherwise: actor.email }
  const starter = table && asked.starter ? [...startersOf(table, drawing), ...valueStartersOf(table, drawing)].find((s) => s.key === asked.starter) : undefined
  const copied = asked.copy ? (await visibleRow(actor, asked.copy))?.draft : undefined
  const taken = new Set(workflows.map((w) => w.name))
  if (asked.from === 'changes' && table) return mine ? <ForEditors /> : <FromPast asked={asked} table={table} setting={await settingFor(table.name)} />
  if (asked.from === 'words') return <FromWords key={asked.at} setting={await settingFor()} />
  const blank: Workflow = {
    rappel: 'workflow/1',
    name: '',
    table: table?.name ?? '',
    cue: { kind: 'record', on: ['created'] },
    actions: [],
  }
  const begun = copied
    ? forTable(copied, asked.table ?? copied.table, schema, `Copy of ${copied.name}`)
    : (starter?.workflow ?? { ...blank, name: proposedName(blank, drawing.wording) })
  const document = { ...begun, name: freeName(begun.name, taken) }
  const opened = copied ? undefined : (starter?.opened ?? '/cue')
  return (
    <BriefEditor
      key={`${asked.table} ${asked.starter} ${asked.copy}`}
      workflow={{ document, name: null, savedAt: null, ...NEVER_SAVED, opened, isGuessed: starter !== undefined && only === null }}
      setting={await settingFor(document)}
    />
  )
}

/** Past changes of a table to be marked, or those that a workflow fired for. */
async function FromPast({ asked, table, setting }: { asked: Asked; table: TableDef; setting: Sent<EditorSetting> }) {
  const ids = (text = '') => (text.match(/\d{1,15}/g) ?? []).slice(0, MOST_MARKED).map(Number)
  const take = Math.min(MOST_TAKEN, Math.max(TAKE, Number(asked.take) || TAKE))
  const within = asked.within || null
  const past = await pastChanges(table, { take, yes: ids(asked.yes), no: ids(asked.no), records: asked.records?.split(' ') ?? [], within })
  const { isMore, ...rest } = past
  return (
    <FromChanges
      key={`${table.name} ${within}`}
      setting={setting}
      table={table}
      {...rest}
      within={within}
      more={isMore && take < MOST_TAKEN ? Math.min(MOST_TAKEN, take * 3) : null}
    />
  )
}

const ForEditors = () => (
  <Page>
    <Title>From past changes</Title>
    <Empty>It is for editors and administrators.</Empty>
  </Page>
)
