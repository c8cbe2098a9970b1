'use client'

import { useRouter } from 'next/navigation'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { sqlName } from '@/core/attach/catalog'
import { faultOf } from '@/core/must'
import type { Attachable } from '@/store/attach/attach'
import { call } from '../api'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Empty, MarginTitle, Page, Title } from '../parts/page'
import { counted } from '../today/summary'

const keyOf = ({ schema, table }: Pick<Attachable, 'schema' | 'table'>) => sqlName(schema, table)

/** The tables of other programs, by schema: those that can be attached are chosen and named, the others say why not. */
export function AttachSheet({ tables, head }: { tables: readonly Attachable[]; head: ReactNode }) {
  const router = useRouter()
  const [chosen, setChosen] = useState<ReadonlyMap<string, string>>(new Map())
  const [faults, setFaults] = useState<ReadonlyMap<string, string>>(new Map())
  const [busy, setBusy] = useState(false)
  const free = tables.filter((t) => t.why === null)
  const put = (key: string, name: string | null) => {
    const next = new Map(chosen)
    if (name === null) next.delete(key)
    else next.set(key, name)
    setChosen(next)
  }
  const attach = async () => {
    setBusy(true)
    const failed = new Map<string, string>()
    const left = new Map(chosen)
    for (const table of free) {
      const name = chosen.get(keyOf(table))
      if (name === undefined) continue
      try {
        await call('POST', `/api/v1/tables/${encodeURIComponent(name)}/attach`, { schema: table.schema, table: table.table })
        left.delete(keyOf(table))
      } catch (error) {
        failed.set(keyOf(table), faultOf(error))
      }
    }
    setBusy(false)
    setChosen(left)
    setFaults(failed)
    const done = chosen.size - left.size
    if (done) toast.success(`${counted(done, 'table')} attached. Every change counts from now on.`)
    if (failed.size === 0) router.push(chosen.size === 1 ? `/records/${[...chosen.values()][0]}` : '/records')
    router.refresh()
  }
  const schemas = [...new Set(tables.map((t) => t.schema))]
  return (
    <Page margin={<What />}>
      {head}
      <Title
        actions={
          <>
            {free.length > 1 && <Button onClick={() => setChosen(new Map(free.map((t) => [keyOf(t), chosen.get(keyOf(t)) ?? t.name])))}>Choose all {free.length}</Button>}
            <Button kind="main" disabled={chosen.size === 0 || busy} onClick={() => void attach()}>
              {busy ? 'Attaching …' : chosen.size < 2 ? 'Attach it' : `Attach ${counted(chosen.size, 'table')}`}
            </Button>
          </>
        }
      >
        Attach tables that are there already
      </Title>
      {tables.length === 0 && <Empty>This database has no tables but Rappel’s own. Another program’s are attached where they are, once they are in the same database.</Empty>}
      {schemas.map((schema) => (
        <section key={schema} aria-label={schema} className="mt-5">
          <h2 className="mb-1 font-mono text-muted text-sm">{schema}</h2>
          <ul className="border-rule border-b">
            {tables
              .filter((t) => t.schema === schema)
              .sort((a, b) => Number(a.why !== null) - Number(b.why !== null))
              .map((t) => (
                <Row key={t.table} table={t} name={chosen.get(keyOf(t))} fault={faults.get(keyOf(t))} onName={(name) => put(keyOf(t), name)} />
              ))}
          </ul>
        </section>
      ))}
    </Page>
  )
}

function Row({ table, name, fault, onName }: { table: Attachable; name: string | undefined; fault: string | undefined; onName: (name: string | null) => void }) {
  const { why, attachedAs } = table
  return (
    <li className="grid grid-cols-[20px_minmax(0,1fr)_7rem_minmax(0,15rem)] items-baseline gap-x-3 border-rule border-t py-2">
      {why === null ? (
        <input
          type="checkbox"
          aria-label={`Attach ${table.table}`}
          className="accent-spruce"
          checked={name !== undefined}
          onChange={(e) => onName(e.target.checked ? table.name : null)}
        />
      ) : (
        <span />
      )}
      <span className={`truncate font-semibold ${why === null ? '' : 'text-muted'}`}>{table.table}</span>
      <span className="figures text-right text-muted text-sm">{table.rows === null ? '' : counted(Math.round(table.rows), 'row')}</span>
      {name === undefined ? (
        <span className="text-muted text-sm">
          {attachedAs ? <Link href={`/records/${attachedAs}`}>attached as {attachedAs}</Link> : why === null ? <span className="font-mono">{table.name}</span> : table.kind}
        </span>
      ) : (
        <input aria-label={`Name of ${table.table} here`} className="blank-line font-mono text-sm" spellCheck={false} value={name} onChange={(e) => onName(e.target.value)} />
      )}
      {why !== null && !attachedAs && <p className="col-span-3 col-start-2 max-w-[80ch] text-muted text-sm">{why}</p>}
      {name !== undefined && table.afterwards && <p className="col-span-3 col-start-2 max-w-[80ch] text-muted text-sm">{table.afterwards}</p>}
      {fault && (
        <p role="alert" className="col-span-3 col-start-2 border-alarm border-l-4 pl-3">
          {fault}
        </p>
      )}
    </li>
  )
}

function What() {
  return (
    <section aria-label="What attaching does">
      <MarginTitle>What attaching does</MarginTitle>
      <ul className="flex flex-col gap-2 font-serif">
        <li>The table stays where it is, and its program’s. Nothing is added to it but triggers; letting go takes them off.</li>
        <li>Whoever writes to it, every change is recorded from then on, and can set workflows off.</li>
        <li>Its columns are fields here. Foreign keys between attached tables are links, enumerations and lists choices.</li>
        <li>When its owner adds, renames or drops a column, Rappel follows, and says on Today what there is to do.</li>
        <li>The program’s own writes wait for nothing here and are never refused because of it.</li>
      </ul>
    </section>
  )
}
