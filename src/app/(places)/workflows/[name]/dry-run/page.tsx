import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { apart, pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { findingsOf, visibleRow } from '@/app/_server/workflows'
import type { Example, Workflow } from '@/core/document/document'
import { membersOf } from '@/core/must'
import { readId } from '@/core/values/parse'
import { type Image, idOf, type Schema, type TableDef, titleOf } from '@/core/values/tables'
import { latestChanges, readChange } from '@/store/changes'
import { newestOf } from '@/store/fitting'
import { readRecord, readTitles } from '@/store/records'
import { readSchema } from '@/store/tables'
import { type Begun, DryRun } from '@/ui/dry-run/dry-run'
import { OccasionDryRun } from '@/ui/dry-run/occasion-dry-run'
import { sent } from '@/ui/parts/sent'

type Props = { params: Promise<{ name: string }>; searchParams: Promise<{ change?: string; record?: string; example?: string }> }

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `Dry run of ${(await params).name}` }
}

/** How many of the newest changes a dry run looks through for one that fires. */
const LOOKED_AT = 20_000

/** The number of a change that an address asks for. */
const numberOf = (text: string | undefined) => (text && /^\d{1,15}$/.test(text) ? Number(text) : null)

/** A dry run of a draft: on a past change, or on a record with changes typed in. Nothing is sent. */
export default async function DryRunPage({ params, searchParams }: Props) {
  const actor = await visitor('PAGE /workflows/[name]/dry-run')
  const row = await visibleRow(actor, await nameOf(params))
  if (!row) notFound()
  const [asked, schema] = await Promise.all([searchParams, readSchema(pool())])
  const table = schema.get(row.draft.table)
  if (!table) notFound()
  const example = row.draft.examples?.find((e) => e.name === asked.example) ?? null
  const editing = editorSetting({ onlyTo: row.keeper_email, me: null, said: row.draft })
  if (row.draft.cue.kind !== 'record') {
    const [[image], setting] = await Promise.all([beginningRecord(asked.record, table), editing])
    const record = image ? { id: idOf(image), title: titleOf(table, image) } : null
    const key = JSON.stringify([asked, row.draft_saved_at])
    return <OccasionDryRun key={key} document={row.draft} savedAt={row.draft_saved_at.toISOString()} setting={sent(setting)} record={record} example={example} />
  }
  const isAsked = asked.change !== undefined || asked.record !== undefined
  const [firing, setting] = await Promise.all([example || isAsked ? null : newestFiring(row.draft), editing])
  const begun = example ? begunFromExample(example) : await begin(firing === null ? asked : { change: String(firing) }, table, schema)
  const titles = await readTitles(pool(), schema, table, [begun.before ?? {}, begun.after ?? {}])
  return (
    <DryRun
      key={JSON.stringify([asked, row.draft_saved_at])}
      name={row.name}
      document={row.draft}
      savedAt={row.draft_saved_at.toISOString()}
      setting={sent(setting)}
      begun={begun}
      titles={Object.fromEntries(titles)}
      example={example}
      me={actor.email}
    />
  )
}

/** The newest recorded change that fires a draft; null where none does, or the draft cannot be looked at yet. */
async function newestFiring(draft: Workflow): Promise<number | null> {
  const findings = await findingsOf(draft, null)
  if (findings.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return null
  const { samples } = membersOf(JSON.parse(await apart().run('evidence', { workflow: draft, findings, sample: null, newest: LOOKED_AT })))
  const newest = Array.isArray(samples) ? samples.map(membersOf).find((sample) => sample.fires === true) : undefined
  return newest ? Number(newest.id) : null
}

/** The record that a dry run of a tick or a press begins with: the one asked for, else the newest. */
async function beginningRecord(asked: string | undefined, table: TableDef): Promise<Image[]> {
  const id = readId(table, asked)
  const image = id === null ? null : await readRecord(pool(), table, id)
  return image ? [image] : newestOf(pool(), table)
}

/** What a dry run begins from: a record as it is, a past change, or the newest change of the table; a new record where there is none. */
async function begin(asked: { change?: string; record?: string }, table: TableDef, schema: Schema): Promise<Begun> {
  const [record, change] = [readId(table, asked.record), numberOf(asked.change)]
  const image = record === null ? null : await readRecord(pool(), table, record)
  if (image) return { kind: 'changed', before: image, after: image, said: `${titleOf(table, image)} as it is` }
  const past = change === null ? (await latestChanges(pool(), schema, table.name, null, 1))[0] : await readChange(pool(), schema, change, table.name)
  if (past?.table !== table.name) return { kind: 'created', before: null, after: {}, said: `a new ${table.singular}` }
  return { kind: past.kind, before: past.before, after: past.after, said: `the change of ${titleOf(table, past.after ?? past.before ?? {})} by ${past.by.name}` }
}

function begunFromExample({ change }: Example): Begun {
  const { kind, before, after } = change ?? { kind: 'created' as const, before: null, after: null }
  const was = kind === 'created' ? null : ((before ?? {}) as Image)
  return { kind, before: was, after: kind === 'deleted' ? null : ({ ...was, ...after } as Image), said: 'what was kept' }
}
