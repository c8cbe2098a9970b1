'use client'

import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { type ReactNode, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { singularOf, snakeName } from '@/core/bulk/propose'
import { faultOf } from '@/core/must'
import type { Organisation, TableDef } from '@/core/values/tables'
import type { Proposal } from '@/engine/bulk/propose'
import { call, Refusal, upload, watch } from '../api'
import { Button } from '../parts/button'
import { Labelled } from '../parts/labelled'
import { Page } from '../parts/page'
import { counted } from '../today/summary'
import { Drop } from './drop'
import type { FirstChoice } from './first-alert'
import { FieldTable, type Kept } from './new-table-fields'

/** Comes once there are rows, for it brings along what mail is proposed with; Today has this page at hand, and needs none of that. */
const FirstAlert = dynamic(() => import('./first-alert').then((module) => module.FirstAlert))

interface Props {
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  /** Whom the first alert goes to where the rows name nobody. */
  readonly me: string | null
  readonly organisation: Organisation
  /** What stands above, and beside it until rows are there. */
  readonly head: ReactNode
  readonly margin?: ReactNode
}

/** Makes a table of a file or of rows that are pasted: it is proposed from all rows, corrected in place, and made with its records in it; beside it what could be told of it. */
export function NewTable({ tables, me, organisation, head, margin }: Props) {
  const router = useRouter()
  const [file, setFile] = useState<File | null>(null)
  const [proposal, setProposal] = useState<Proposal | null>(null)
  const [names, setNames] = useState<Omit<TableDef, 'fields'> | null>(null)
  const [fields, setFields] = useState<readonly Kept[]>([])
  const [first, setFirst] = useState<FirstChoice | null>(null)
  const [busy, setBusy] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  const take = async (next: File | undefined) => {
    if (!next) return
    setFile(next)
    setProposal(null)
    setFault(null)
    setFirst(null)
    try {
      const told = await upload<Proposal>('POST', `/api/v1/tables/propose?name=${encodeURIComponent(next.name)}`, next)
      const { fields: proposed, ...rest } = told.table
      setProposal(told)
      setNames(rest)
      setFields(proposed)
    } catch (error) {
      setFault(faultOf(error))
    }
  }
  usePasted((text) => void take(new File([text], 'Pasted rows.tsv', { type: 'text/tab-separated-values' })))
  const put = (i: number, change: Partial<Kept>) => setFields((all) => all.map((f, n) => (n === i ? { ...f, ...change } : f)))
  const table = names && tableOf(names, fields)
  const make = async () => {
    if (!table || !file || !proposal) return
    if (tables.some((t) => t.name === table.name)) return setFault(`There is a table ${table.label} already. Call this one something else, or import the file into that one.`)
    setBusy(true)
    setFault(null)
    try {
      const { name, ...rest } = table
      await call('PUT', `/api/v1/tables/${name}`, rest)
      const columns = Object.fromEntries(proposal.headings.map((heading, i) => [heading, columnOf(fields[i])]))
      const query = new URLSearchParams({ columns: JSON.stringify(columns), partly: 'true', name: file.name, ...proposal.ways })
      const done = await watch<{ created: number; refusedCount: number; bulk: number }>(
        `/api/v1/records/${name}/import?${query}`,
        file,
        new AbortController().signal,
        () => undefined,
      )
      toast(
        `${table.label}: ${counted(done.created, 'record')} in it${done.refusedCount ? `; ${counted(done.refusedCount, 'row was', 'rows were')} refused` : ''}.`,
        done.refusedCount ? { action: { label: 'See which', onClick: () => router.push(`/bulk/${done.bulk}`) } } : undefined,
      )
      router.push(first ? `/workflows/new?${new URLSearchParams({ table: name, starter: first.key, ...(first.tell === 'me' ? { tell: 'me' } : {}) })}` : `/records/${name}`)
      router.refresh()
    } catch (error) {
      setFault(error instanceof Refusal ? [error.problem.detail, ...(error.problem.problems ?? []).map((p) => p.message)].join(' ') : faultOf(error))
      setBusy(false)
    }
  }
  return (
    <Page
      margin={
        proposal && table ? (
          <FirstAlert table={table} organisation={organisation} columns={fields.map(columnOf)} proposal={proposal} me={me} chosen={first} onChoose={setFirst} />
        ) : (
          margin
        )
      }
    >
      {head}
      <Drop
        file={file}
        onFile={(next) => void take(next)}
        recognised={proposal ? `${proposal.recognised}, ${counted(proposal.rows, 'row')}` : null}
        hint="or drop one here, or paste rows from a spreadsheet: the first row holds the headings."
      />
      {!file && <EmptyTable taken={tables.map((t) => t.name)} onFault={setFault} />}
      {fault && (
        <p role="alert" className="mb-4 border-alarm border-l-3 pl-3 text-alarm">
          {fault}
        </p>
      )}
      {file && !proposal && !fault && <p className="text-muted">Reading all of it …</p>}
      {proposal && names && table && (
        <form
          onSubmit={(event) => {
            event.preventDefault()
            void make()
          }}
        >
          <div className="mb-5 grid max-w-3xl grid-cols-2 gap-6">
            <Labelled label="What the table is called">
              <input
                aria-label="What the table is called"
                className="blank-line"
                value={names.label}
                onChange={(e) => setNames(renamed(names, e.target.value))}
                onFocus={(e) => e.target.select()}
              />
            </Labelled>
            <Labelled label="One of its records is a" note="Placeholders begin with it.">
              <input
                aria-label="One of its records is a"
                className="blank-line"
                value={names.singular.replaceAll('_', ' ')}
                onChange={(e) => setNames({ ...names, singular: e.target.value.toLowerCase().replaceAll(/[^a-z0-9]+/g, '_') })}
              />
            </Labelled>
          </div>
          <FieldTable fields={fields} proposal={proposal} tables={tables} title={names.titleField} onTitle={(titleField) => setNames({ ...names, titleField })} onPut={put} />
          <div className="mt-5 flex items-center gap-5">
            <Button kind="main" type="submit" disabled={busy || table.fields.length === 0}>
              {busy ? 'Making it …' : `Make it, with ${counted(proposal.rows, 'record')}`}
            </Button>
            <span className="text-muted text-sm">{first ? 'Then its workflow opens, ready to be sent live.' : 'No workflow waits for it yet, so nothing is sent.'}</span>
          </div>
        </form>
      )}
    </Page>
  )
}

/** A table without records, made by its name alone; its fields are designed after. */
function EmptyTable({ taken, onFault }: { taken: readonly string[]; onFault: (fault: string) => void }) {
  const router = useRouter()
  const [label, setLabel] = useState('')
  const make = async () => {
    const name = snakeName(label, 'table')
    if (taken.includes(name)) return onFault(`There is a table ${label} already. Call this one something else.`)
    try {
      const fields = [{ name: 'name', label: 'Name', type: 'text' }]
      await call('PUT', `/api/v1/tables/${name}`, { label: label.trim(), singular: singularOf(name), titleField: 'name', fields })
      router.push(`/records/${name}/fields`)
    } catch (error) {
      onFault(faultOf(error))
    }
  }
  return (
    <form
      className="mb-4 flex items-baseline gap-5"
      onSubmit={(event) => {
        event.preventDefault()
        void make()
      }}
    >
      <span className="shrink-0 text-muted">Or begin with an empty one, called</span>
      <input aria-label="An empty table, called" className="blank-line max-w-60" value={label} onChange={(e) => setLabel(e.target.value)} />
      <Button type="submit" disabled={!label.trim()}>
        Make it
      </Button>
    </form>
  )
}

/** The names of a table that is called something else; what one record is called goes along until it was given by hand. */
function renamed(names: Omit<TableDef, 'fields'>, label: string): Omit<TableDef, 'fields'> {
  const name = snakeName(label, 'table')
  return { ...names, label, name, singular: names.singular === singularOf(names.name) ? singularOf(name) : names.singular }
}

/** The table as it would be made: without what is left out, and with a title and an owner that are among its fields. */
function tableOf({ ownerField, titleField, ...names }: Omit<TableDef, 'fields'>, fields: readonly Kept[]): TableDef {
  const kept = fields.filter((f) => !f.left).map(({ left: _, ...field }) => field)
  const owner = kept.find((f) => f.name === ownerField && f.type === 'person')
  const title = kept.some((f) => f.name === titleField) ? titleField : (kept[0]?.name ?? '')
  return { ...names, titleField: title, ...(owner ? { ownerField: owner.name } : {}), fields: kept }
}

const columnOf = (field: Kept | undefined) => (field && !field.left ? field.name : null)

/** Rows that are pasted anywhere on the page but into a field. */
function usePasted(onRows: (text: string) => void): void {
  const now = useRef(onRows)
  now.current = onRows
  useEffect(() => {
    const paste = (event: ClipboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return
      const text = event.clipboardData?.getData('text/plain') ?? ''
      if (text.includes('\t') || text.includes('\n')) now.current(text)
    }
    document.addEventListener('paste', paste)
    return () => document.removeEventListener('paste', paste)
  }, [])
}
