'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useState } from 'react'
import type { View } from '@/core/document/view'
import { folderFieldOf } from '@/core/values/folders'
import { nounOf, withArticle } from '@/core/values/naming'
import type { Organisation, RecordId, TableDef } from '@/core/values/tables'
import type { NamedView } from '@/store/views'
import { ButtonLink } from '../parts/button'
import Link from '../parts/link'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { TablesProvider } from '../records/tables-context'
import type { PersonChoice } from '../records/values'
import { addressOf } from './address'
import { ChosenBar } from './chosen-bar'
import { Filter } from './filter'
import { TableDeeds } from './many-deeds'
import { type Pasted, PasteSheet } from './paste-sheet'
import { useRows } from './rows'
import { Sheet } from './sheet'
import { Starters } from './starters'
import { ViewMenu } from './view-menu'

interface Props {
  readonly table: TableDef
  readonly tables: Sent<readonly TableDef[]>
  readonly people: Sent<readonly PersonChoice[]>
  readonly organisation: Organisation
  /** How the address asks for the records to be looked at, and the name of the view, where it names one. */
  readonly view: View
  readonly named: string | null
  readonly views: readonly NamedView[]
  /** The address of a member, whose workflows write to them alone. */
  readonly mine: string | null
  readonly role: 'administrator' | 'editor' | 'member'
}

/** A table's records as a grid: sorted, filtered by clauses, gathered, edited in place. How they are looked at lives in the address. */
export function Grid({ table, organisation, mine, role, views, ...given }: Props) {
  const [tables, people] = [useSent(given.tables), useSent(given.people)]
  const router = useRouter()
  const [state, setState] = useState({ view: given.view, named: given.named })
  const asked = JSON.stringify([given.view, given.named])
  // biome-ignore lint/correctness/useExhaustiveDependencies: what the address asks for decides, not the identity of what it was read into
  useEffect(() => setState({ view: given.view, named: given.named }), [asked])
  const { view, named } = state
  const where = view.where ?? null
  const order = view.order ?? null
  const rows = useRows(table.name, where, order, view.group ?? null)
  const [chosen, setChosen] = useState<ReadonlySet<RecordId>>(new Set())
  const [pasted, setPasted] = useState<Pasted | null>(null)
  const look = (next: View, name: string | null) => {
    setState({ view: next, named: name }) // at once, so that a second press in a row builds on the first; the address follows
    router.replace(`/records/${table.name}${addressOf(next, name)}`, { scroll: false })
  }
  const go = (change: Partial<View>) => look({ ...view, ...change }, null)
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
            {folderFieldOf(table) && (
              <Link href={`/records/${table.name}/folders`} className="text-sm">
                Folders
              </Link>
            )}
            {role === 'administrator' && (
              <Link href={`/records/${table.name}/fields`} className="text-sm">
                Fields
              </Link>
            )}
            <Link href={`/workflows?table=${table.name}`} className="text-sm">
              Its workflows
            </Link>
            <Starters table={table} organisation={organisation} mine={mine} where={where} />
            <TableDeeds
              table={table}
              where={where}
              order={order}
              count={rows.count ?? 0}
              people={people}
              mayWrite={role !== 'member' && (table.attached?.mayChange ?? true)}
              isAdministrator={role === 'administrator'}
              onDone={() => setChosen(new Set())}
            />
            {(table.attached?.mayCreate ?? true) && (
              <ButtonLink kind="main" href={`/records/${table.name}/new`}>
                Add {withArticle(nounOf(table))}
              </ButtonLink>
            )}
          </span>
        </div>
        <div className="flex items-start gap-5">
          <div className="min-w-0 flex-1">
            <Filter table={table} people={people} where={where} onChange={(next) => go({ where: next ?? undefined })} />
          </div>
          <span className="flex shrink-0 items-baseline gap-5">
            <ViewMenu table={table} view={view} views={views} named={named} mayShare={role !== 'member'} onView={look} />
          </span>
        </div>
        {table.attached?.trouble && (
          <p role="alert" className="mb-2 border-alarm border-l-4 pl-3">
            {table.attached.trouble}
          </p>
        )}
        {rows.fault && (
          <p role="alert" className="mb-2 border-alarm border-l-4 pl-3">
            {rows.fault}
          </p>
        )}
        <ChosenBar table={table} chosen={chosen} people={people} role={role} onClear={() => setChosen(new Set())} />
        <Sheet table={table} rows={rows} people={people} organisation={organisation} view={view} onView={go} onPaste={setPasted} chosen={chosen} onChosen={setChosen} />
        {pasted && <PasteSheet table={table} pasted={pasted} isAdministrator={role === 'administrator'} onClose={() => setPasted(null)} />}
      </main>
    </TablesProvider>
  )
}
