import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { listBulk } from '@/store/bulk/log'
import { readSchema } from '@/store/tables'
import { BulkList } from '@/ui/bulk/bulk-list'
import { Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Written at once' }

const SHOWN = 200

/** Imports, mass edits and mass deletions, the newest first. */
export default async function BulkPage() {
  await visitor('PAGE /bulk')
  const [rows, schema] = await Promise.all([listBulk(pool(), { limit: SHOWN }), readSchema(pool())])
  return (
    <Page>
      <Title>Written at once</Title>
      <BulkList rows={rows.map((row) => ({ ...row, at: row.at.toISOString(), label: schema.get(row.tbl)?.label ?? row.tbl }))} />
    </Page>
  )
}
