'use client'

import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useEffect, useState } from 'react'
import type { Condition } from '@/core/document/condition'
import type { Organisation, RecordId, TableDef } from '@/core/values/tables'
import { ButtonLink } from '../parts/button'
import { TablesProvider } from '../records/tables-context'
import type { PersonChoice } from '../records/values'
import { ChosenBar } from './chosen-bar'
import { Filter } from './filter'
import { TableDeeds } from './many-deeds'
import { useRows } from './rows'
import { Sheet } from './sheet'
import { Starters } from './starters'

interface Props {
  readonly table: TableDef
  readonly tables: readonly TableDef[]
  readonly people: readonly PersonChoice[]
  readonly organisation: Organisation
  readonly where: Condition | null
  readonly order: string | null
  /** The address of a member, whose workflows write to them alone. */
  readonly mine: string | null
  readonly role: 'administrator' | 'editor' | 'member'
}

/** A table's records as a grid: sorted, filtered by clauses, edited in place. Filter and order live in the address. */
export function Grid({ table, tables, people, organisation, mine, role, ...given }: Props) {
  const router = useRouter()
  const [view, setView] = useState({ where: given.where, order: given.order })
  const asked = JSON.stringify([given.where, given.order])
  // biome-ignore lint/correctness/useExhaustiveDependencies: what the address asks for decides, not the identity of what it was read into
  useEffect(() => setView({ where: given.where, order: given.order }), [asked])
  const { where, order } = view
  const rows = useRows(table.name, where, order)
  const [chosen, setChosen] = useState<ReadonlySet<RecordId>>(new Set())
  const go = (change: Partial<typeof view>) => {
    const next = { ...view, ...change }
    setView(next) // at once, so that a second press in a row builds on the first; the address follows
    const query = new URLSearchParams()
    if (next.where) query.set('where', JSON.stringify(next.where))
    if (next.order) query.set('order', next.order)
    router.replace(`/records/${table.name}${query.size ? `?${query}` : ''}`, { scroll: false })
  }
  return (
    <TablesProvider tables={tables}>
      <main className="flex h-[calc(100vh-46px)] flex-col px-7 pt-5">
        <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
          <h1 className="font-serif text-2xl tracking-tight">{table.label}</h1>
          <span className="text-muted" aria-live="polite">
            {rows.count === null ? '' : `${rows.count.toLocaleString(organisation.locale)} ${where ? 'that fit' : 'in all'}`}
          </span>
          <span className="ml-auto flex items-center gap-5 self-center">
            <Link href="/records" className="text-sm">
              Other tables
            </Link>
            {role === 'administrator' && (
              <Link href={`/records/${table.name}/fields`} className="text-sm">
                Fields
              </Link>
            )}
            <Starters table={table} mine={mine} />
            <TableDeeds
              table={table}
              where={where}
              order={order}
              count={rows.count ?? 0}
              people={people}
              mayWrite={role !== 'member'}
              isAdministrator={role === 'administrator'}
              onDone={() => setChosen(new Set())}
            />
            <ButtonLink kind="main" href={`/records/${table.name}/new`}>
              Add a {table.singular}
            </ButtonLink>
          </span>
        </div>
        <Filter table={table} people={people} where={where} onChange={(next) => go({ where: next })} />
        {rows.fault && (
          <p role="alert" className="mb-2 border-alarm border-l-4 pl-3">
            {rows.fault}
          </p>
        )}
        <ChosenBar table={table} chosen={chosen} people={people} role={role} onClear={() => setChosen(new Set())} />
        <Sheet table={table} rows={rows} people={people} organisation={organisation} order={order} onOrder={(next) => go({ order: next })} chosen={chosen} onChosen={setChosen} />
      </main>
    </TablesProvider>
  )
}
