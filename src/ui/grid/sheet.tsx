'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { useRouter } from 'next/navigation'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { faultOf, must } from '@/core/must'
import { type FieldDef, type Image, idFrom, idOf, type Organisation, type RecordId, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import { call } from '../api'
import type { PersonChoice } from '../records/values'
import { Cell, widthOf } from './cell'
import { Header } from './header'
import { PAGE_SIZE, type Rows } from './rows'

const ROW_HEIGHT = 32

interface Props {
  readonly table: TableDef
  readonly rows: Rows
  readonly people: readonly PersonChoice[]
  readonly organisation: Organisation
  readonly order: string | null
  readonly onOrder: (order: string | null) => void
  /** Ids of the records that are chosen. */
  readonly chosen: ReadonlySet<RecordId>
  readonly onChosen: (chosen: ReadonlySet<RecordId>) => void
}

/** How wide the column is in which records are chosen, in pixels. */
const CHOOSER = 30

interface At {
  readonly row: number
  readonly column: number
}

const STEPS: Record<string, At> = {
  ArrowDown: { row: 1, column: 0 },
  j: { row: 1, column: 0 },
  ArrowUp: { row: -1, column: 0 },
  k: { row: -1, column: 0 },
  ArrowRight: { row: 0, column: 1 },
  ArrowLeft: { row: 0, column: -1 },
  PageDown: { row: 15, column: 0 },
  PageUp: { row: -15, column: 0 },
}

/** A cell that is edited: whose it is, and what was typed into it before and refused. */
interface Editing {
  readonly record: RecordId
  readonly field: string
  readonly typed?: Stored
}

/** The fields in the grid's order: the title first. */
function columnsOf(table: TableDef): FieldDef[] {
  return [...table.fields].sort((a, b) => Number(b.name === table.titleField) - Number(a.name === table.titleField))
}

/** The virtual sheet of rows: only what is in view is in the page, however many records there are. */
export function Sheet({ table, rows, people, organisation, order, onOrder, chosen, onChosen }: Props) {
  const router = useRouter()
  const scroller = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState<At>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<Editing | null>(null)
  const columns = columnsOf(table)
  const widths = columns.map(widthOf)
  const count = rows.count ?? 0
  const virtual = useVirtualizer({ count, getScrollElement: () => scroller.current, estimateSize: () => ROW_HEIGHT, overscan: 12 })
  const items = virtual.getVirtualItems()
  const [first, last] = [items[0]?.index ?? 0, items[items.length - 1]?.index ?? 0]
  // biome-ignore lint/correctness/useExhaustiveDependencies: rows is anew at each render; what is in view decides
  useEffect(() => {
    if (count > 0) rows.want(first, Math.min(count - 1, last + PAGE_SIZE / 2))
  }, [first, last, count])

  const anchor = useRef(0)
  /** Chooses a row or gives it up; with Shift all rows from the last one chosen on. */
  const choose = (index: number, isRange: boolean) => {
    const record = rows.row(index)
    if (!record) return
    const next = new Set(chosen)
    const isOn = !chosen.has(idOf(record))
    const [from, to] = isRange ? [Math.min(anchor.current, index), Math.max(anchor.current, index)] : [index, index]
    for (let i = from; i <= to; i++) {
      const id = idFrom(rows.row(i)?.id)
      if (id !== null && isOn) next.add(id)
      if (id !== null && !isOn) next.delete(id)
    }
    anchor.current = index
    onChosen(next)
  }
  const move = (to: At) => {
    const next = { row: Math.max(0, Math.min(count - 1, to.row)), column: Math.max(0, Math.min(columns.length - 1, to.column)) }
    setAt(next)
    virtual.scrollToIndex(next.row)
  }
  const isChosen = (record: Image | undefined) => record !== undefined && chosen.has(idOf(record))
  const open = (record: Image) => router.push(recordPath(table.name, record.id))
  const edit = (next: Editing | null) => {
    setEditing(next)
    rows.hold(next !== null) // so that no other record slips under what is typed
    if (next === null) requestAnimationFrame(() => scroller.current?.focus())
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (editing || event.ctrlKey || event.metaKey) return
    const step = STEPS[event.key]
    const record = rows.row(at.row)
    if (step) move({ row: at.row + step.row, column: at.column + step.column })
    else if (event.key === 'Home') move({ ...at, row: 0 })
    else if (event.key === 'End') move({ ...at, row: count - 1 })
    else if (event.key === ' ' || event.key === 'x') choose(at.row, event.shiftKey)
    else if (event.key === 'Escape' && chosen.size > 0) onChosen(new Set())
    else if (event.key === 'Enter' && record && at.column === 0) open(record)
    else if ((event.key === 'Enter' || event.key === 'F2') && record) edit({ record: idOf(record), field: columns[at.column]?.name ?? '' })
    else return
    event.preventDefault()
  }
  const save = async (record: RecordId, field: FieldDef, value: Stored) => {
    edit(null)
    try {
      const image = await call<Image>('PATCH', `/api/v1${recordPath(table.name, record)}`, { [field.name]: value })
      rows.replace(image, await titleFor(field, image, people, rows.titles))
    } catch (error) {
      toast.error(faultOf(error))
      edit({ record, field: field.name, typed: value }) // what was typed is there still, to be mended
    }
  }
  const total = widths.reduce((a, b) => a + b, CHOOSER)
  return (
    // biome-ignore lint/a11y/useSemanticElements: a virtual grid cannot be a table element, since most of its rows are not in the page
    <div
      ref={scroller}
      role="grid"
      aria-label={table.label}
      aria-rowcount={count + 1}
      aria-colcount={columns.length + 1}
      aria-activedescendant={count ? `cell-${at.row}-${at.column}` : undefined}
      tabIndex={0}
      onKeyDown={onKeyDown}
      className="min-h-0 flex-1 overflow-auto border-rule border-t focus-visible:outline-none"
    >
      <div style={{ width: total }}>
        <Header columns={columns} widths={widths} order={order} onOrder={onOrder} before={CHOOSER} />
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {items.map((item) => {
            const record = rows.row(item.index)
            return (
              // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and names its active cell
              // biome-ignore lint/a11y/useSemanticElements: see the grid
              <div
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={isChosen(record)}
                className={`absolute left-0 flex border-rule border-b ${isChosen(record) ? 'bg-rope-wash' : 'hover:bg-sheet'}`}
                style={{ top: item.start, height: ROW_HEIGHT }}
              >
                {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
                {/* biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and names its active cell */}
                <div role="gridcell" className="flex shrink-0 items-center justify-center" style={{ width: CHOOSER }}>
                  <input
                    type="checkbox"
                    tabIndex={-1}
                    aria-label={`Choose ${record?.[table.titleField] ?? `row ${item.index + 1}`}`}
                    className="accent-spruce"
                    checked={isChosen(record)}
                    onClick={(event) => choose(item.index, event.shiftKey)}
                    onChange={() => undefined}
                  />
                </div>
                {columns.map((field, column) => (
                  <Cell
                    key={field.name}
                    id={`cell-${item.index}-${column}`}
                    table={table}
                    field={field}
                    record={record}
                    width={must(widths[column])}
                    isTitle={column === 0}
                    isActive={at.row === item.index && at.column === column}
                    isEditing={editing !== null && editing.field === field.name && editing.record === record?.id}
                    typed={editing?.typed}
                    titles={rows.titles}
                    people={people}
                    organisation={organisation}
                    onChoose={() => setAt({ row: item.index, column })}
                    onEdit={() => {
                      setAt({ row: item.index, column })
                      if (record) edit({ record: idOf(record), field: field.name })
                    }}
                    onSave={(value) => void (record && save(idOf(record), field, value))}
                    onCancel={() => edit(null)}
                  />
                ))}
              </div>
            )
          })}
        </div>
        {rows.count === 0 && <p className="py-8 font-serif text-lg text-muted">No {table.singular} fits. Change the filter, or add one.</p>}
      </div>
    </div>
  )
}

/** The title of what a link or person field now points at, so that the cell can show it at once. */
async function titleFor(field: FieldDef, image: Image, people: readonly PersonChoice[], known: Readonly<Record<string, string>>): Promise<Record<string, string>> {
  const id = image[field.name]
  if (id === null || id === undefined) return {}
  if (field.type === 'person') return { [`person ${id}`]: people.find((p) => p.id === id)?.name ?? String(id) }
  if (field.type !== 'link' || known[`${field.table} ${id}`]) return {}
  const { titles } = await call<{ titles: Record<string, string> }>(
    'GET',
    `/api/v1/records/${field.table}?limit=1&titles&where=${encodeURIComponent(JSON.stringify({ field: 'id', op: 'is', value: id }))}`,
  )
  return titles
}
