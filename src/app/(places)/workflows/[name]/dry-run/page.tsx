import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { editorSetting } from '@/app/_server/editor-setting'
import { pool } from '@/app/_server/environment'
import { visibleRow } from '@/app/_server/workflows'
import { titleOf } from '@/core/values/tables'
import { latestChanges, readChange } from '@/store/changes'
import { readRecord, readTitles } from '@/store/records'
import { readSchema } from '@/store/tables'
import { type Begun, DryRun } from '@/ui/dry-run/dry-run'

type Props = { params: Promise<{ name: string }>; searchParams: Promise<{ change?: string; record?: string }> }

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `Dry run of ${decodeURIComponent((await params).name)}` }
}

const idOf = (text: string | undefined) => (text && /^\d{1,15}$/.test(text) ? Number(text) : null)

/** A dry run of a draft: on a past change, or on a record with changes typed in. Nothing is sent. */
export default async function DryRunPage({ params, searchParams }: Props) {
  const actor = await visitor('PAGE /workflows/[name]/dry-run')
  const row = await visibleRow(actor, decodeURIComponent((await params).name))
  if (!row) notFound()
  const [asked, schema, setting] = await Promise.all([searchParams, readSchema(pool()), editorSetting(row.keeper_email)])
  const table = schema.get(row.draft.table)
  if (!table) notFound()
  const record = idOf(asked.record)
  const image = record === null ? null : await readRecord(pool(), table, record)
  const past = image
    ? null
    : idOf(asked.change) !== null
      ? await readChange(pool(), schema, idOf(asked.change) as number)
      : (await latestChanges(pool(), schema, table.name, null, 1))[0]
  const begun: Begun = image
    ? { kind: 'changed', before: image, after: image, said: `${titleOf(table, image)} as it is` }
    : past && past.table === table.name
      ? { kind: past.kind, before: past.before, after: past.after, said: `the change of ${titleOf(table, past.after ?? past.before ?? {})} by ${past.by.name}` }
      : { kind: 'created', before: null, after: {}, said: `a new ${table.singular}` }
  const titles = await readTitles(pool(), schema, table, [begun.before ?? {}, begun.after ?? {}])
  return <DryRun key={JSON.stringify(asked)} name={row.name} document={row.draft} setting={setting} begun={begun} titles={Object.fromEntries(titles)} />
}
