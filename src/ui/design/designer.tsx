'use client'

import { useRouter } from 'next/navigation'
import { startTransition, useState } from 'react'
import { toast } from 'sonner'
import { sqlName } from '@/core/attach/catalog'
import { snakeName } from '@/core/bulk/propose'
import { faultOf } from '@/core/must'
import type { Attachment, FieldDef, TableDef } from '@/core/values/tables'
import type { Use } from '@/store/design/mentions'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { MarginTitle, Page, Title } from '../parts/page'
import { orderFields, saveTable } from './deeds'
import { FieldEditor } from './field-editor'
import { TableEnd } from './table-end'
import { TableNames } from './table-names'
import { UseList } from './use-list'

interface Props {
  readonly table: TableDef
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  readonly uses: readonly Use[]
  readonly fieldUses: Readonly<Record<string, readonly Use[]>>
  /** The links of other tables that point here: the lists that its records have. */
  readonly lists: readonly { readonly table: string; readonly label: string; readonly field: string }[]
  readonly records: number
}

/** A table, designed: its names, its fields in order, each opened in place; beside it where the open one is used. */
export function Designer({ table, tables, uses, fieldUses, lists, records }: Props) {
  const router = useRouter()
  const [open, setOpen] = useState<string | null>(null)
  const [typed, setTyped] = useState('')
  const deed = async (work: () => Promise<unknown>) => {
    try {
      await work()
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const move = (i: number, by: number) => {
    const names = table.fields.map((f) => f.name)
    const [moved] = names.splice(i, 1)
    if (moved) names.splice(i + by, 0, moved)
    return deed(() => orderFields(table.name, names))
  }
  const add = () => {
    const label = typed.trim()
    if (!label) return
    const taken = new Set(table.fields.map((f) => f.name))
    let name = snakeName(label, 'field')
    for (let n = 2; taken.has(name); n++) name = `${snakeName(label, 'field')}_${n}`
    const field: FieldDef = { name, label, type: 'text' }
    return deed(async () => {
      await saveTable(table, [field])
      setTyped('')
      setOpen(name)
    })
  }
  const field = table.fields.find((f) => f.name === open)
  return (
    <Page
      margin={
        field ? (
          <section aria-label={`Uses of ${field.label}`}>
            <MarginTitle note={(fieldUses[field.name] ?? []).length ? 'All of them go along when it gets another name.' : undefined}>Where {field.label} is used</MarginTitle>
            {(fieldUses[field.name] ?? []).length ? <UseList uses={fieldUses[field.name] ?? []} /> : <p className="text-muted">Nowhere yet: it can be removed without a word.</p>}
          </section>
        ) : (
          <>
            <section aria-label="Lists" className="mb-8">
              <MarginTitle note="A link of another table that points here gives each record a list.">Its lists</MarginTitle>
              <ul className="border-rule border-b text-sm">
                {lists.map((l) => (
                  <li key={`${l.table}.${l.field}`} className="flex items-baseline gap-3 border-rule border-t py-1.5">
                    <Link href={`/records/${l.table}/fields`}>{l.label}</Link>
                    <span className="ml-auto font-mono text-muted text-xs">
                      {l.table}.{l.field}
                    </span>
                  </li>
                ))}
              </ul>
              {lists.length === 0 && <p className="text-muted">None yet.</p>}
            </section>
            <section aria-label="Uses">
              <MarginTitle>Where it is used</MarginTitle>
              {uses.length ? <UseList uses={uses} /> : <p className="text-muted">Nowhere yet.</p>}
            </section>
          </>
        )
      }
    >
      <p className="mb-1 text-sm">
        <Link href="/records">Records</Link> · <Link href={`/records/${table.name}`}>{table.label}</Link>
      </p>
      <Title>Fields of {table.label}</Title>
      {table.attached && (
        <p className="mb-3 max-w-[72ch] font-serif">
          It is <span className="font-mono text-sm">{sqlName(table.attached.schema, table.attached.table)}</span>, another program’s table, watched where it is.{' '}
          {rightsWords(table.attached)}
        </p>
      )}
      {table.attached?.trouble && (
        <p role="alert" className="mb-3 border-alarm border-l-4 pl-3">
          {table.attached.trouble}
        </p>
      )}
      <TableNames key={JSON.stringify([table.label, table.singular, table.titleField, table.ownerField])} table={table} onSave={(next) => deed(() => saveTable(next))} />
      <ol aria-label="Fields" className="mt-6 border-rule border-b">
        {table.fields.map((f, i) => (
          <li key={f.name} className="border-rule border-t">
            <div className="grid grid-cols-[28px_minmax(0,1fr)_minmax(0,1.2fr)_7.5rem] items-baseline gap-3 py-1.5">
              <span className="figures text-muted text-sm">{i + 1}</span>
              <button
                type="button"
                aria-expanded={open === f.name}
                onClick={() => setOpen(open === f.name ? null : f.name)}
                className="truncate text-left font-semibold hover:text-spruce"
              >
                {f.label}
              </button>
              <span className="truncate text-muted text-sm">{fieldWords(f, table, tables)}</span>
              <span className="flex items-baseline justify-end gap-3">
                <span className="figures text-muted text-sm">{usesCount(fieldUses[f.name])}</span>
                <Button aria-label={`${f.label} up`} disabled={i === 0} onClick={() => move(i, -1)}>
                  ↑
                </Button>
                <Button aria-label={`${f.label} down`} disabled={i === table.fields.length - 1} onClick={() => move(i, 1)}>
                  ↓
                </Button>
              </span>
            </div>
            {open === f.name && (
              <FieldEditor
                key={JSON.stringify(f)}
                table={table}
                field={f}
                tables={tables}
                onFold={() => setOpen(null)}
                onKept={(name) =>
                  // folded once the page has what was kept: opened before that, it would be edited as it stood before
                  startTransition(() => {
                    router.refresh()
                    setOpen(null)
                    if (name === null) setTyped('')
                  })
                }
              />
            )}
          </li>
        ))}
      </ol>
      {table.attached ? (
        <p className="mt-3 text-muted text-sm">A column that its owner adds is a field by itself.</p>
      ) : (
        <form
          className="mt-3 flex items-baseline gap-5"
          onSubmit={(event) => {
            event.preventDefault()
            void add()
          }}
        >
          <input aria-label="Add a field" placeholder="Add a field: its label" className="blank-line max-w-72" value={typed} onChange={(e) => setTyped(e.target.value)} />
          <Button type="submit" disabled={!typed.trim()}>
            Add it
          </Button>
        </form>
      )}
      <TableEnd table={table} records={records} uses={uses} />
    </Page>
  )
}

/** What may be done with the records of another program's table, in a sentence. */
function rightsWords({ mayCreate, mayChange, mayDelete }: Attachment): string {
  const may = [mayCreate && 'add', mayChange && 'change', mayDelete && 'delete'].filter(Boolean)
  if (may.length === 3) return 'Its owner lets Rappel write to it as well.'
  return may.length ? `Its owner lets Rappel ${may.join(' and ')} records, no more.` : 'It is read here and not written to: its owner grants no more.'
}

const usesCount = (uses: readonly Use[] = []) => {
  const used = uses.filter((u) => u.kind !== 'title' && u.kind !== 'owner').length
  return used === 0 ? '' : `${used} ${used === 1 ? 'use' : 'uses'}`
}

/** What a field holds, in a few words. */
function fieldWords(field: FieldDef, table: TableDef, tables: Props['tables']): string {
  const { type, required, unique, number, housekeeping, choices = [] } = field
  const holds =
    type === 'link'
      ? `link to ${tables.find((t) => t.name === field.table)?.label ?? field.table}`
      : type === 'choice'
        ? `choice: ${choices.map((c) => `${field.marks?.[c] ? `${field.marks[c]} ` : ''}${c}`).join(', ')}`
        : number
          ? `automatic number ${number}`
          : type
  const also = [
    table.titleField === field.name && 'names a record',
    table.ownerField === field.name && 'its owner',
    required && 'must be filled',
    unique && 'no two alike',
    field.default !== undefined && `begins as ${typeof field.default === 'boolean' ? (field.default ? 'yes' : 'no') : field.default}`,
    housekeeping && 'housekeeping',
    field.readOnly && 'read only',
  ].filter(Boolean)
  return [holds, ...also].join(', ')
}
