import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { NewTable } from '@/ui/bulk/new-table'
import Link from '@/ui/parts/link'
import { Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'New table' }

/** Makes a table of a file. */
export default async function NewTablePage() {
  const { email } = await visitor('PAGE /records/new-table')
  const [schema, settings] = await Promise.all([readSchema(pool()), readSettings(pool())])
  const tables = [...schema.values()].filter((t) => t.name !== 'person').map(({ name, label }) => ({ name, label }))
  return (
    <NewTable
      tables={tables}
      me={email}
      organisation={settings}
      head={
        <>
          <p className="mb-1 text-sm">
            <Link href="/records">Records</Link>
          </p>
          <Title>Make a table</Title>
        </>
      }
    />
  )
}
