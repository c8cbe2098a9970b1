'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { useRouter } from 'next/navigation'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { View } from '@/core/document/view'
import { faultOf } from '@/core/must'
import { type FieldDef, fieldOf, type Image, idFrom, idOf, type Organisation, type RecordId, recordPath, type Stored, type TableDef } from '@/core/values/tables'
import type { RecordGroup } from '@/store/sums'
import { call, change, Refusal } from '../api'
import { type PersonChoice, shownValue } from '../records/values'
import { Cell } from './cell'
import { copiedCells, MOST_CELLS, pastedCells, pastedLines } from './clipboard'
import { CHOOSER, columnsOf } from './columns'
import { Foot } from './foot'
import { Header } from './header'
import { Lines } from './lines'
import type { Pasted } from './paste-sheet'
import { type At, cellsIn, isWithin, type Range, rangeOf } from './range'
import { PAGE_SIZE, type Rows } from './rows'

const ROW_HEIGHT = 32

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
  readonly typed?: Stored
}

/** An edit that can be taken back: what the field held before, and the record's tag after. */
interface Undoable {
  readonly record: RecordId
  readonly field: FieldDef
  readonly before: Stored
  readonly etag: string
}

/** The virtual sheet of rows: only what is in view is in the page, however many records there are. */
export function Sheet({ table, rows, people, organisation, view, onView, onPaste, chosen, onChosen }: Props) {
  const router = useRouter()
  const scroller = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState<At>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<Editing | null>(null)
  /** The other end of the cells that are selected; null where it is one cell alone. */
  const [anchored, setAnchored] = useState<At | null>(null)
  const [undoable, setUndoable] = useState<Undoable | null>(null)
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
  const fieldsIn = ({ columns: [from, to] }: Range) => columns.slice(from, to + 1).map((c) => c.field)
  const copy = async () => {
    if (cellsIn(range) > MOST_CELLS) return toast.error(`At most ${MOST_CELLS.toLocaleString('en-GB')} cells are copied at once; export the table instead.`)
    try {
      const records = await rows.between(...range.rows)
      await navigator.clipboard.writeText(copiedCells(records, fieldsIn(range), rows.titles, organisation))
      toast.success(cellsIn(range) === 1 ? 'The cell is copied.' : `${cellsIn(range).toLocaleString('en-GB')} cells are copied.`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  /** Pastes from the first selected cell on; one value fills all that are selected. */
  const paste = async (text: string) => {
    const cells = pastedCells(text)
    const [height, width] = [cells.length, Math.max(...cells.map((row) => row.length))]
    if (height === 0 || height * width > MOST_CELLS) return toast.error(`Between 1 and ${MOST_CELLS.toLocaleString('en-GB')} cells are pasted at once; import a file instead.`)
    const isOne = height === 1 && width === 1
    const [top, left] = [range.rows[0], range.columns[0]]
    const over = isOne ? range : rangeOf({ row: top, column: left }, { row: Math.min(count, top + height) - 1, column: Math.min(columns.length, left + width) - 1 })
    try {
      const records = await rows.between(...over.rows)
      const fields = fieldsIn(over)
      const { lines: written, ids } = pastedLines(cells, records, fields)
      onPaste({ lines: written, count: ids.length, fields })
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const undo = async () => {
    if (!undoable) return toast('There is no edit of yours to take back.')
    const { record, field, before, etag } = undoable
    setUndoable(null)
    try {
      const { answer: image } = await change<Image>(`/api/v1${recordPath(table.name, record)}`, { [field.name]: before }, etag)
      rows.replace(image, await titleFor(field, image, people, rows.titles))
      toast.success(`${field.label} is as it was before.`)
    } catch (error) {
      toast.error(error instanceof Refusal && error.problem.status === 412 ? 'Somebody has changed the record since: your edit stays.' : faultOf(error))
    }
  }
  const isChosen = (record: Image | undefined) => record !== undefined && chosen.has(idOf(record))
  const open = (record: Image) => router.push(recordPath(table.name, record.id))
  const edit = (next: Editing | null) => {
    setEditing(next)
    rows.hold(next !== null) // so that no other record slips under what is typed
    if (next === null) requestAnimationFrame(() => scroller.current?.focus())
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (editing || event.target !== event.currentTarget) return
    if (event.ctrlKey || event.metaKey) {
      if (event.key === 'c' && (anchored || window.getSelection()?.isCollapsed !== false)) void copy()
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
    else if ((event.key === 'Enter' || event.key === 'F2') && record) edit({ record: idOf(record), field: columns[at.column]?.field.name ?? '' })
    else return
    event.preventDefault()
  }
  const save = async (record: RecordId, field: FieldDef, value: Stored) => {
    edit(null)
    const before = rows.row(at.row)?.[field.name] ?? null
    try {
      const { answer: image, etag } = await change<Image>(`/api/v1${recordPath(table.name, record)}`, { [field.name]: value })
      setUndoable(etag ? { record, field, before, etag } : null)
      rows.replace(image, await titleFor(field, image, people, rows.titles))
    } catch (error) {
      toast.error(faultOf(error))
      edit({ record, field: field.name, typed: value }) // what was typed is there still, to be mended
    }
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
        void paste(event.clipboardData.getData('text/plain'))
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
        {count > 0 && <Foot columns={columns} sums={rows.sums} organisation={organisation} />}
        {rows.count === 0 && <p className="py-8 font-serif text-lg text-muted">No {table.singular} fits. Change the filter, or add one.</p>}
      </div>
    </div>
  )
}

/** The head of records that have the same value. */
function GroupHead({ group, table, by, line, top, organisation }: { group: RecordGroup; table: TableDef; by: string; line: number; top: number; organisation: Organisation }) {
  const field = fieldOf(table, by)
  const words = group.title ?? (field ? shownValue(field, group.value, {}, organisation) : '')
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it
    <div role="row" aria-rowindex={line + 2} className="absolute left-0 flex w-full items-end border-ink border-b" style={{ top, height: ROW_HEIGHT }}>
      {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it */}
      <div role="gridcell" className="sticky left-0 flex items-baseline gap-3 px-2 pb-1">
        <span className="text-muted text-sm">{field?.label}</span>
        <b className="font-serif text-lg leading-none">{words || 'blank'}</b>
        <span className="figures text-muted text-sm">{group.count.toLocaleString(organisation.locale)}</span>
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
