'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { useRouter } from 'next/navigation'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { View } from '@/core/document/view'
import { type FieldDef, type Image, idFrom, idOf, type Organisation, type RecordId, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import { mayEdit, type PersonChoice } from '../records/values'
import { Cell } from './cell'
import { useClipboard } from './clipboard'
import { CHOOSER, columnsOf } from './columns'
import { useEdits } from './edits'
import { Foot } from './foot'
import { GroupHead } from './group-head'
import { Header } from './header'
import { Lines, ROW_HEIGHT } from './lines'
import type { Pasted } from './paste-sheet'
import { type At, isWithin, rangeOf } from './range'
import { PAGE_SIZE, type Rows } from './rows'

interface Props {
  readonly table: TableDef
  readonly rows: Rows
  readonly people: readonly PersonChoice[]
  readonly organisation: Organisation
  readonly view: View
  readonly onView: (change: Partial<View>) => void
  /** Told when cells are pasted that are to be written together. */
  readonly onPaste: (pasted: Pasted) => void
  /** Ids of the records that are chosen. */
  readonly chosen: ReadonlySet<RecordId>
  readonly onChosen: (chosen: ReadonlySet<RecordId>) => void
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
  /** What it held when the edit began. */
  readonly before: Stored
  readonly typed?: Stored
}

/** The virtual sheet of rows: only what is in view is in the page, however many records there are. */
export function Sheet({ table, rows, people, organisation, view, onView, onPaste, chosen, onChosen }: Props) {
  const router = useRouter()
  const scroller = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState<At>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<Editing | null>(null)
  /** The other end of the cells that are selected; null where it is one cell alone. */
  const [anchored, setAnchored] = useState<At | null>(null)
  const columns = columnsOf(table, view)
  const count = rows.count ?? 0
  const lines = new Lines(rows.groups, count)
  const range = rangeOf(anchored ?? at, at)
  const virtual = useVirtualizer({ count: lines.count, getScrollElement: () => scroller.current, estimateSize: () => ROW_HEIGHT, overscan: 12 })
  const items = virtual.getVirtualItems()
  const inView = items.flatMap((item) => lines.at(item.index).row ?? [])
  const [first, last] = [inView[0] ?? 0, inView[inView.length - 1] ?? 0]
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
  const move = (to: At, isRange: boolean) => {
    const next = { row: Math.max(0, Math.min(count - 1, to.row)), column: Math.max(0, Math.min(columns.length - 1, to.column)) }
    setAnchored(isRange ? (anchored ?? at) : null)
    setAt(next)
    virtual.scrollToIndex(lines.lineOf(next.row))
  }
  const { copy, paste } = useClipboard({ rows, columns, count, organisation, onPaste })
  const { save, undo } = useEdits(table, rows, people)
  const isChosen = (record: Image | undefined) => record !== undefined && chosen.has(idOf(record))
  const open = (record: Image) => router.push(recordPath(table.name, record.id))
  const edit = (next: Editing | null) => {
    setEditing(next)
    rows.hold(next !== null) // so that no other record slips under what is typed
    if (next === null) requestAnimationFrame(() => scroller.current?.focus())
  }
  const begin = (record: Image, name: string) => {
    const field = table.fields.find((f) => f.name === name)
    if (field && !mayEdit(table, field)) return void toast(`${field.label} is read only: ${table.label} belongs to another program.`)
    edit({ record: idOf(record), field: name, before: record[name] ?? null })
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (editing || (event.target instanceof Element && event.target.closest('[role=columnheader], button'))) return // heads and totals have keys of their own
    if (event.ctrlKey || event.metaKey) {
      if (event.key === 'c' && (anchored || window.getSelection()?.isCollapsed !== false)) void copy(range)
      else if (event.key === 'z') void undo()
      else return
      return event.preventDefault()
    }
    const step = STEPS[event.key]
    const record = rows.row(at.row)
    if (step) move({ row: at.row + step.row, column: at.column + step.column }, event.shiftKey)
    else if (event.key === 'Home') move({ ...at, row: 0 }, event.shiftKey)
    else if (event.key === 'End') move({ ...at, row: count - 1 }, event.shiftKey)
    else if (event.key === 'Escape' && anchored) setAnchored(null)
    else if (event.key === ' ' || event.key === 'x') choose(at.row, event.shiftKey)
    else if (event.key === 'Escape' && chosen.size > 0) onChosen(new Set())
    else if (event.key === 'Enter' && record && at.column === 0) open(record)
    else if ((event.key === 'Enter' || event.key === 'F2') && record) begin(record, columns[at.column]?.field.name ?? '')
    else return
    event.preventDefault()
  }
  const keep = async (record: RecordId, field: FieldDef, value: Stored) => {
    const before = editing?.before ?? null
    edit(null)
    if (!(await save(record, field, value, before))) edit({ record, field: field.name, before, typed: value }) // what was typed is there still, to be mended
  }
  const total = columns.reduce((sum, c) => sum + c.width, CHOOSER)
  return (
    // biome-ignore lint/a11y/useSemanticElements: a virtual grid cannot be a table element, since most of its rows are not in the page
    <div
      ref={scroller}
      role="grid"
      aria-label={table.label}
      aria-rowcount={lines.count + 2}
      aria-colcount={columns.length + 1}
      aria-activedescendant={count ? `cell-${at.row}-${at.column}` : undefined}
      tabIndex={0}
      onKeyDown={onKeyDown}
      onMouseDown={(event) => {
        if (event.shiftKey) event.preventDefault() // cells are selected, not their letters
      }}
      onPaste={(event) => {
        if (editing || event.target instanceof HTMLInputElement) return
        event.preventDefault()
        void paste(event.clipboardData.getData('text/plain'), range)
      }}
      className="min-h-0 flex-1 overflow-auto border-rule border-t focus-visible:outline-none"
    >
      <div style={{ width: total }}>
        <Header columns={columns} order={view.order} onOrder={(order) => onView({ order })} onWidth={(field, width) => onView({ widths: { ...view.widths, [field]: width } })} />
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {items.map((item) => {
            const { group, row } = lines.at(item.index)
            if (row === null) return <GroupHead key={item.key} group={group} table={table} by={view.group ?? ''} line={item.index} top={item.start} organisation={organisation} />
            const record = rows.row(row)
            return (
              // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and names its active cell
              // biome-ignore lint/a11y/useSemanticElements: see the grid
              <div
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={isChosen(record)}
                className={`absolute left-0 flex border-rule border-b ${isChosen(record) ? 'bg-rope-wash' : 'bg-paper hover:bg-sheet'}`}
                style={{ top: item.start, height: ROW_HEIGHT }}
              >
                {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
                {/* biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and names its active cell */}
                <div role="gridcell" className="sticky z-10 flex shrink-0 items-center justify-center bg-inherit" style={{ width: CHOOSER, left: 0 }}>
                  <input
                    type="checkbox"
                    tabIndex={-1}
                    aria-label={`Choose ${record?.[table.titleField] ?? `row ${row + 1}`}`}
                    className="accent-spruce"
                    checked={isChosen(record)}
                    onClick={(event) => choose(row, event.shiftKey)}
                    onChange={() => undefined}
                  />
                </div>
                {columns.map(({ field, width, left }, column) => (
                  <Cell
                    key={field.name}
                    id={`cell-${row}-${column}`}
                    table={table}
                    field={field}
                    record={record}
                    width={width}
                    left={left}
                    isSelected={anchored !== null && isWithin(range, row, column)}
                    isTitle={column === 0}
                    isActive={at.row === row && at.column === column}
                    isEditing={editing !== null && editing.field === field.name && editing.record === record?.id}
                    typed={editing?.typed}
                    titles={rows.titles}
                    people={people}
                    organisation={organisation}
                    onChoose={(isRange) => {
                      setAnchored(isRange ? (anchored ?? at) : null)
                      setAt({ row, column })
                    }}
                    onEdit={() => {
                      setAt({ row, column })
                      if (record) begin(record, field.name)
                    }}
                    onSave={(value) => void (record && keep(idOf(record), field, value))}
                    onCancel={() => edit(null)}
                  />
                ))}
              </div>
            )
          })}
        </div>
        {count > 0 && <Foot columns={columns} sums={rows.sums} organisation={organisation} />}
        {rows.count === 0 && <p className="py-8 font-serif text-lg text-muted">No {table.singular} fits. Change the filter, or add one.</p>}
      </div>
    </div>
  )
}
