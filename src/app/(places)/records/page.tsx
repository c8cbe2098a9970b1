import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { sqlName } from '@/core/attach/catalog'
import type { TableDef } from '@/core/values/tables'
import { readSchema, readTableSizes } from '@/store/tables'
import { ButtonLink } from '@/ui/parts/button'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Records' }

export default async function Records() {
  const actor = await visitor('PAGE /records')
  const [schema, sizes] = await Promise.all([readSchema(pool()), readTableSizes(pool())])
  const tables = [...schema.values()].filter((t) => t.name !== 'person')
  return (
    <Page>
      <Title
        actions={
          mayUse(actor.role, 'PAGE /records/new-table') && (
            <>
              <ButtonLink href="/records/attach">Attach tables</ButtonLink>
              <ButtonLink kind={tables.length ? undefined : 'main'} href="/records/new-table">
                Make a table
              </ButtonLink>
            </>
          )
        }
      >
        Records
      </Title>
      {tables.length === 0 && <Empty>There are no tables yet. Make the first of a file, or of rows copied from a spreadsheet.</Empty>}
      <TableList tables={tables.filter((t) => !t.archived)} sizes={sizes} />
      {tables.some((t) => t.archived) && (
        <details className="mt-6">
          <summary className="cursor-pointer text-muted text-sm">Put away</summary>
          <TableList tables={tables.filter((t) => t.archived)} sizes={sizes} />
        </details>
      )}
    </Page>
  )
}

/** Fields by whose labels a table is told: more than a line holds. */
const TOLD_BY = 12

const fieldWords = ({ fields }: TableDef) =>
  fields
    .slice(0, TOLD_BY)
    .map((f) => f.label.toLowerCase())
    .join(', ') + (fields.length > TOLD_BY ? ' …' : '')

function TableList({ tables, sizes }: { tables: readonly TableDef[]; sizes: ReadonlyMap<string, number> }) {
  return (
    <ul className="mt-4 max-w-[860px] border-rule border-b">
      {tables.map((t) => (
        <li key={t.name}>
          <Link
            href={`/records/${t.name}`}
            className="grid grid-cols-[200px_5rem_minmax(0,1fr)] items-baseline gap-5 border-rule border-t py-2.5 text-ink no-underline hover:text-spruce hover:no-underline"
          >
            <span className="font-serif text-lg">{t.label}</span>
            <span className="text-right">{(sizes.get(t.name) ?? 0).toLocaleString('en-GB')}</span>
            <span className="truncate text-muted text-sm">
              {t.attached?.trouble && <span className="text-alarm">not watched: {t.attached.trouble} </span>}
              {t.attached && !t.attached.trouble && <span className="font-mono">{sqlName(t.attached.schema, t.attached.table)} </span>}
              {fieldWords(t)}
            </span>
          </Link>
        </li>
      ))}
    </ul>
  )
}
