import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { conditionOf } from '@/app/_server/reading'
import type { View } from '@/core/document/view'
import { tablesNear } from '@/core/paths/near'
import { fieldOf, type TableDef } from '@/core/values/tables'
import { listNamed } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { listViews } from '@/store/views'
import { viewOf } from '@/ui/grid/address'
import { Grid } from '@/ui/grid/grid'
import { sent } from '@/ui/parts/sent'

export async function generateMetadata({ params }: { params: Promise<{ table: string }> }): Promise<Metadata> {
  await visitor('PAGE /records/[table]')
  const { table } = await params
  return { title: (await readSchema(pool())).get(table)?.label ?? 'Records' }
}

type Query = Readonly<Record<'where' | 'order' | 'group' | 'columns' | 'frozen' | 'view', string | undefined>>

export default async function TablePage({ params, searchParams }: { params: Promise<{ table: string }>; searchParams: Promise<Query> }) {
  const actor = await visitor('PAGE /records/[table]')
  const [{ table: name }, query] = await Promise.all([params, searchParams])
  const schema = await readSchema(pool())
  const table = name === 'person' ? undefined : schema.get(name)
  if (!table) notFound()
  const [people, settings, views] = await Promise.all([listNamed(pool()), readSettings(pool()), listViews(pool(), name, actor.person)])
  const named = views.find((v) => v.name === query.view)
  return (
    <Grid
      key={name}
      table={table}
      tables={sent(tablesNear(schema, name))}
      people={sent(people)}
      organisation={settings}
      view={known(named?.view ?? viewOf(query, readWhere(query.where)), table)}
      named={named?.name ?? null}
      views={views}
      mine={actor.role === 'member' ? actor.email : null}
      role={actor.role}
    />
  )
}

/** A view without the fields that the table does not have any more. */
function known(view: View, table: TableDef): View {
  const has = (field: string) => fieldOf(table, field) !== undefined
  const order = view.order?.split(',').filter((part) => has(part.replace(/^-/, '')))
  const { order: _, group, columns, ...rest } = view
  return { ...rest, ...(order?.length ? { order: order.join(',') } : {}), ...(group && has(group) ? { group } : {}), ...(columns ? { columns: columns.filter(has) } : {}) }
}

/** The filter of the address; one that is not a condition is passed over, as a stale link must still open the grid. */
function readWhere(text: string | undefined): View['where'] {
  try {
    return conditionOf(text ?? null)
  } catch {
    return undefined
  }
}
