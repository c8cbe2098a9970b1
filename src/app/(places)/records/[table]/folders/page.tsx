import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { folderFieldOf, folderTree } from '@/core/values/folders'
import { idFrom } from '@/core/values/tables'
import { readFileInfos } from '@/store/files'
import { readFolders } from '@/store/folders'
import { peopleByEmail } from '@/store/people'
import { listRecords } from '@/store/records'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { FolderView } from '@/ui/documents/folder-view'

export const metadata: Metadata = { title: 'Folders' }

const MOST = 500

/** A library of documents by its folders: those of the one that the address names, and what is in it. */
export default async function FoldersPage({ params, searchParams }: { params: Promise<{ table: string }>; searchParams: Promise<{ in?: string }> }) {
  const actor = await visitor('PAGE /records/[table]/folders')
  const [{ table: name }, query, schema] = await Promise.all([params, searchParams, readSchema(pool())])
  const table = name === 'person' ? undefined : schema.get(name)
  const folder = table && folderFieldOf(table)
  const file = table?.fields.find((f) => f.type === 'file')
  if (!table || !folder || !file) notFound()
  const [organisation, people, paths] = await Promise.all([readSettings(pool()), peopleByEmail(pool()), readFolders(pool(), table, folder)])
  const here = query.in ?? ''
  const where = here ? { field: folder.name, op: 'is' as const, value: here } : { field: folder.name, op: 'is blank' as const }
  const records = await listRecords(pool(), table, { schema, organisation, people: people.ids }, { where, order: table.titleField, limit: MOST })
  const files = await readFileInfos(
    pool(),
    records.flatMap((r) => (r[file.name] ? [Number(r[file.name])] : [])),
  )
  return (
    <FolderView
      table={table}
      fileSize={organisation.fileSize}
      fields={{ folder: folder.name, file: file.name }}
      tree={folderTree(paths)}
      here={here}
      documents={records.map((r) => ({
        id: idFrom(r.id) ?? 0,
        title: String(r[table.titleField] ?? ''),
        at: typeof r.updated_at === 'string' ? r.updated_at : null,
        file: files.get(Number(r[file.name])) ?? null,
      }))}
      mayWrite={mayUse(actor.role, 'POST /api/v1/records/[table]')}
      locale={organisation.locale}
      zone={organisation.zone}
    />
  )
}
