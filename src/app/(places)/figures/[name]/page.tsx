import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { usersOf } from '@/app/_server/uses'
import type { Figure } from '@/core/document/figure'
import { allFigures, tableOfFigure } from '@/core/figures/computed'
import { tablesNear } from '@/core/paths/near'
import { readFigureRow } from '@/store/figures/definitions'
import { listNamed } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { FigureEditor } from '@/ui/figures/editor'
import { sent } from '@/ui/parts/sent'

type Props = { params: Promise<{ name: string }>; searchParams: Promise<{ table?: string }> }

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: (await nameOf(params)).replaceAll('_', ' ') }
}

/** A figure with its past; `new` makes one. */
export default async function FigurePage({ params, searchParams }: Props) {
  const actor = await visitor('PAGE /figures/[name]')
  const name = await nameOf(params)
  const [row, schema, people, { locale, zone, currency, name: organisation }, asked] = await Promise.all([
    name === 'new' ? null : readFigureRow(pool(), name),
    readSchema(pool()),
    listNamed(pool()),
    readSettings(pool()),
    searchParams,
  ])
  if (name !== 'new' && !row) notFound()
  const tables = [...schema.values()]
  const table = schema.get(asked.table ?? '') ?? tables.find((t) => t.name !== 'person')
  const figure: Figure = row?.definition ?? { rappel: 'figure/1', name: '', table: table?.name ?? '', of: { count: true } }
  return (
    <FigureEditor
      key={name}
      figure={figure}
      isKept={row !== null}
      broken={row?.fault ?? null}
      users={row ? await usersOf('figure', name) : []}
      tables={sent(tablesNear(schema, [figure, tableOfFigure(figure, allFigures(schema))]))}
      people={sent(people)}
      organisation={{ name: organisation, locale, zone, currency }}
      canEdit={mayUse(actor.role, 'PUT /api/v1/figures/[name]')}
    />
  )
}
