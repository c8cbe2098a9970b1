import { tsvFormatRows, tsvParseRows } from 'd3'
import { type FieldDef, type Image, idOf, type Organisation, type RecordId } from '@/core/values/tables'
import { shownValue } from '../records/values'

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
