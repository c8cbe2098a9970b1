'use client'

import { tsvFormatRows, tsvParseRows } from 'd3'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { type FieldDef, type Image, idOf, type Organisation, type RecordId } from '@/core/values/tables'
import { shownValue } from '../records/values'
import type { ColumnDef } from './columns'
import type { Pasted } from './paste-sheet'
import { cellsIn, type Range, rangeOf } from './range'
import type { Rows } from './rows'

/** Most cells that are copied or pasted at once. */
export const MOST_CELLS = 200_000

/** Cells as spreadsheets take them: rows in lines, with tabs between. */
export function copiedCells(records: readonly Image[], fields: readonly FieldDef[], titles: Readonly<Record<string, string>>, organisation: Organisation): string {
  return tsvFormatRows(records.map((record) => fields.map((field) => shownValue(field, record[field.name], titles, organisation))))
}

/** The cells of what a spreadsheet put into the clipboard. */
export function pastedCells(text: string): string[][] {
  return tsvParseRows(text.replace(/\r\n?/g, '\n').replace(/\n$/, ''))
}

/** What is pasted over records: lines of JSON, each a record's id and the texts of its fields; one cell fills all that are chosen. */
export function pastedLines(
  cells: readonly (readonly string[])[],
  records: readonly Image[],
  fields: readonly FieldDef[],
): { readonly lines: string; readonly ids: readonly RecordId[] } {
  const isOne = cells.length === 1 && cells[0]?.length === 1
  const ids: RecordId[] = []
  const lines = records.map((record, i) => {
    ids.push(idOf(record))
    const row = isOne ? fields.map(() => cells[0]?.[0] ?? '') : (cells[i] ?? [])
    return JSON.stringify({ id: idOf(record), ...Object.fromEntries(fields.map((field, n) => [field.name, row[n] ?? ''])) })
  })
  return { lines: lines.join('\n'), ids }
}

interface Sheet {
  readonly rows: Rows
  readonly columns: readonly ColumnDef[]
  readonly count: number
  readonly organisation: Organisation
  readonly onPaste: (pasted: Pasted) => void
}

/** Cells to and from spreadsheets. */
export function useClipboard({ rows, columns, count, organisation, onPaste }: Sheet) {
  const fieldsIn = ({ columns: [from, to] }: Range) => columns.slice(from, to + 1).map((c) => c.field)
  const copy = async (range: Range) => {
    const n = cellsIn(range)
    if (n > MOST_CELLS) return toast.error(`At most ${MOST_CELLS.toLocaleString('en-GB')} cells are copied at once; export the table instead.`)
    try {
      const records = await rows.between(...range.rows)
      await navigator.clipboard.writeText(copiedCells(records, fieldsIn(range), rows.titles, organisation))
      toast.success(n === 1 ? 'The cell is copied.' : `${n.toLocaleString('en-GB')} cells are copied.`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  /** Pastes from the first selected cell on; one value fills all that are selected. */
  const paste = async (text: string, range: Range) => {
    const cells = pastedCells(text)
    const [height, width] = [cells.length, cells.reduce((most, row) => Math.max(most, row.length), 0)]
    if (height === 0 || height * width > MOST_CELLS) return toast.error(`Between 1 and ${MOST_CELLS.toLocaleString('en-GB')} cells are pasted at once; import a file instead.`)
    const [top, left] = [range.rows[0], range.columns[0]]
    if (top + height > count || left + width > columns.length)
      return toast.error(`${height.toLocaleString('en-GB')} rows of ${width} cells do not fit below and beside this one. To add records, import them.`)
    const over = height * width === 1 ? range : rangeOf({ row: top, column: left }, { row: top + height - 1, column: left + width - 1 })
    try {
      const fields = fieldsIn(over)
      const { lines, ids } = pastedLines(cells, await rows.between(...over.rows), fields)
      onPaste({ lines, count: ids.length, fields })
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return { copy, paste }
}
