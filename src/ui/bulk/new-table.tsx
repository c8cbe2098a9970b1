'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { snakeName } from '@/core/bulk/propose'
import { faultOf, must } from '@/core/must'
import { FIELD_TYPES, type FieldDef, type FieldType, type TableDef } from '@/core/values/tables'
import type { Proposal } from '@/engine/bulk/propose'
import { call, Refusal, upload, watch } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { TableHead } from '../parts/table-head'
import { counted } from '../today/summary'
import { Drop } from './drop'
import { firstValues } from './words'

/** A field of the table to be, or none: its column is left out. */
interface Kept extends FieldDef {
  readonly left?: boolean
}

/** Makes a table of a file or of rows that are pasted: it is proposed from all rows, corrected in place, and made with its records in it. */
export function NewTable({ tables }: { tables: readonly { readonly name: string; readonly label: string }[] }) {
  const router = useRouter()
  const [file, setFile] = useState<File | null>(null)
  const [proposal, setProposal] = useState<Proposal | null>(null)
  const [table, setTable] = useState<Omit<TableDef, 'fields'> | null>(null)
  const [fields, setFields] = useState<readonly Kept[]>([])
  const [busy, setBusy] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  const take = async (next: File | undefined) => {
    if (!next) return
    setFile(next)
    setProposal(null)
    setFault(null)
    try {
      const told = await upload<Proposal>('POST', `/api/v1/tables/propose?name=${encodeURIComponent(next.name)}`, next)
      const { fields: proposed, ...rest } = told.table
      setProposal(told)
      setTable(rest)
      setFields(proposed)
    } catch (error) {
      setFault(faultOf(error))
    }
  }
  usePasted((text) => void take(new File([text], 'Pasted rows.tsv', { type: 'text/tab-separated-values' })))
  const put = (i: number, change: Partial<Kept>) => setFields((all) => all.map((f, n) => (n === i ? { ...f, ...change } : f)))
  const kept = fields.filter((f) => !f.left)
  const make = async () => {
    if (!table || !file || !proposal) return
    if (tables.some((t) => t.name === table.name)) return setFault(`There is a table ${table.label} already. Call this one something else, or import the file into that one.`)
    setBusy(true)
    setFault(null)
    try {
      const title = kept.some((f) => f.name === table.titleField) ? table.titleField : (kept[0]?.name ?? '')
      const owner = kept.find((f) => f.name === table.ownerField && f.type === 'person')
      const { name, ownerField: _, ...rest } = table
      await call('PUT', `/api/v1/tables/${name}`, { ...rest, titleField: title, ...(owner ? { ownerField: owner.name } : {}), fields: kept.map(({ left: __, ...field }) => field) })
      const columns = Object.fromEntries(proposal.headings.map((heading, i) => [heading, fields[i]?.left ? null : (fields[i]?.name ?? null)]))
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
      router.push(`/records/${name}`)
      router.refresh()
    } catch (error) {
      setFault(error instanceof Refusal ? [error.problem.detail, ...(error.problem.problems ?? []).map((p) => p.message)].join(' ') : faultOf(error))
      setBusy(false)
    }
  }
  return (
    <>
      <Drop
        file={file}
        onFile={(next) => void take(next)}
        recognised={proposal ? `${proposal.recognised}, ${counted(proposal.rows, 'row')}` : null}
        hint="or drop one here, or paste rows from a spreadsheet: the first row holds the headings."
      />
      {fault && (
        <p role="alert" className="mb-4 border-alarm border-l-3 pl-3 text-alarm">
          {fault}
        </p>
      )}
      {file && !proposal && !fault && <p className="text-muted">Reading all of it …</p>}
      {proposal && table && (
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
                value={table.label}
                onChange={(e) => setTable({ ...table, label: e.target.value, name: snakeName(e.target.value, 'table') })}
              />
            </Labelled>
            <Labelled label="One of its records is a" note="Placeholders begin with it.">
              <input
                aria-label="One of its records is a"
                className="blank-line"
                value={table.singular.replaceAll('_', ' ')}
                onChange={(e) => setTable({ ...table, singular: e.target.value.toLowerCase().replaceAll(/[^a-z0-9]+/g, '_') })}
              />
            </Labelled>
          </div>
          <FieldTable fields={fields} proposal={proposal} tables={tables} title={table.titleField} onTitle={(titleField) => setTable({ ...table, titleField })} onPut={put} />
          <div className="mt-5 flex items-center gap-5">
            <Button kind="main" type="submit" disabled={busy || kept.length === 0}>
              {busy ? 'Making it …' : `Make it, with ${counted(proposal.rows, 'record')}`}
            </Button>
            <span className="text-muted text-sm">No workflow waits for it yet, so nothing is sent.</span>
          </div>
        </form>
      )}
    </>
  )
}

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

const TYPES = FIELD_TYPES.filter((t) => t !== 'file')
const LEFT = '\u0000left'

interface FieldTableProps {
  readonly fields: readonly Kept[]
  readonly proposal: Proposal
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  readonly title: string
  readonly onTitle: (field: string) => void
  readonly onPut: (place: number, change: Partial<Kept>) => void
}

/** The fields of the table to be, each with what it holds and its first values, corrected in place. */
function FieldTable({ fields, proposal, tables, title, onTitle, onPut }: FieldTableProps) {
  const option = (type: FieldType) => ({ value: type as string, label: type })
  const links = tables.map((t) => ({ value: `link ${t.name}`, label: `link to ${t.label}` }))
  const options = [...TYPES.filter((t) => t !== 'link').map(option), ...links, { value: LEFT, label: 'left out' }]
  const set = (i: number, value: string) => {
    const field = must(fields[i])
    const { choices: _, number: __, table: ___, ...bare } = field
    if (value === LEFT) return onPut(i, { left: true })
    if (value.startsWith('link ')) return onPut(i, { ...bare, type: 'link', table: value.slice(5), choices: undefined, number: undefined, left: false })
    const type = TYPES.find((t) => t === value) ?? 'text'
    const choices = type === 'choice' ? (field.choices ?? [...new Set(proposal.first.map((row) => row[i] ?? '').filter(Boolean))]) : undefined
    onPut(i, { type, choices, table: undefined, number: type === 'text' ? field.number : undefined, left: false })
  }
  return (
    <table className="w-full text-sm">
      <TableHead columns={[['Field', 'w-1/4'], ['Holds', 'w-1/4'], 'First values', ['Title', 'w-14 text-center']]} />
      <tbody>
        {fields.map((field, i) => (
          <tr key={field.name} className={`border-rule border-t align-baseline ${field.left ? 'text-muted' : ''}`}>
            <td className="py-1 pr-5">
              <input
                aria-label={`Name of ${proposal.headings[i] || `column ${i + 1}`}`}
                className="blank-line font-semibold"
                disabled={field.left}
                value={field.label}
                onChange={(e) => onPut(i, { label: e.target.value })}
              />
            </td>
            <td className="pr-5">
              <Choice
                label={`What ${field.label} holds`}
                value={field.left ? LEFT : field.type === 'link' ? `link ${field.table}` : field.type}
                options={options}
                onChange={(value) => set(i, value)}
              />
              {!field.left && field.number && <span className="text-muted text-xs">automatic number {field.number}</span>}
              {!field.left && field.choices && (
                <input
                  aria-label={`Choices of ${field.label}`}
                  className="blank-line text-muted text-xs"
                  value={field.choices.join(', ')}
                  onChange={(e) => onPut(i, { choices: e.target.value.split(',').map((c) => c.trimStart()) })}
                  onBlur={() => onPut(i, { choices: (field.choices ?? []).map((c) => c.trim()).filter(Boolean) })}
                />
              )}
            </td>
            <td className="max-w-0 truncate text-muted">{firstValues(proposal.first.map((row) => row[i]))}</td>
            <td className="text-center">
              <input
                type="radio"
                name="title"
                className="accent-spruce"
                aria-label={`${field.label} names a record`}
                checked={title === field.name}
                disabled={field.left || field.type === 'person' || field.type === 'link'}
                onChange={() => onTitle(field.name)}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
