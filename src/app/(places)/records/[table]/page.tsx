import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { conditionOf } from '@/app/_server/reading'
import { listPeople } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { Grid } from '@/ui/grid/grid'

export async function generateMetadata({ params }: { params: Promise<{ table: string }> }): Promise<Metadata> {
  await visitor('PAGE /records/[table]')
  const { table } = await params
  return { title: (await readSchema(pool())).get(table)?.label ?? 'Records' }
}

export default async function TablePage({ params, searchParams }: { params: Promise<{ table: string }>; searchParams: Promise<{ where?: string; order?: string }> }) {
  const actor = await visitor('PAGE /records/[table]')
  const [{ table: name }, { where, order }] = await Promise.all([params, searchParams])
  const schema = await readSchema(pool())
  const table = name === 'person' ? undefined : schema.get(name)
  if (!table) notFound()
  const [people, settings] = await Promise.all([listPeople(pool()), readSettings(pool())])
  return (
    <Grid
      key={name}
      table={table}
      tables={[...schema.values()]}
      people={people.map(({ id, name, email, active }) => ({ id, name, email, active }))}
      organisation={settings}
      where={readWhere(where)}
      order={order ?? null}
      mine={actor.role === 'member' ? actor.email : null}
      role={actor.role}
    />
  )
}

/** The filter of the address; one that is not a condition is passed over, as a stale link must still open the grid. */
function readWhere(text: string | undefined) {
  try {
    return conditionOf(text ?? null) ?? null
  } catch {
    return null
  }
}
