import { PassThrough, Readable } from 'node:stream'
import { stringify } from 'csv-stringify'
import type { Pool } from 'pg'
import { guarded } from '@/core/bulk/cell'
import type { Setting } from '@/core/conditions/compile'
import type { Condition } from '@/core/document/condition'
import { must } from '@/core/must'
import { instantOnClock } from '@/core/values/clock'
import { type FieldDef, fieldOf, type Image, type Stored, type TableDef } from '@/core/values/tables'
import { eachPage } from '@/store/bulk/export'
import { listPeople } from '@/store/people'
import { readTitles } from '@/store/records'

export const EXPORTS = ['csv', 'xlsx', 'jsonl'] as const
export type ExportKind = (typeof EXPORTS)[number]

export interface ExportAsked {
  readonly table: TableDef
  readonly where?: Condition
  readonly order?: string
}

/** Every record that a condition finds, as a file that is written as it is read: values as people read them, or, as lines of JSON, as the API has them. */
export function exportRecords(pool: Pool, kind: ExportKind, { table, ...query }: ExportAsked, setting: Setting): Readable {
  const fields = [must(fieldOf(table, 'id')), ...table.fields]
  const out = new PassThrough()
  const whole = eachPage(pool, table, setting, query, async (pages, db) => {
    const called = await calledBy(pool)
    async function* rows(): AsyncGenerator<Stored[][]> {
      for await (const records of pages) {
        const titles = await readTitles(db, setting.schema, table, records)
        yield records.map((record) => fields.map((field) => shown(field, record, titles, called)))
      }
    }
    if (kind === 'jsonl') await writeLines(out, pages)
    else if (kind === 'csv') await writeCsv(out, fields, rows())
    else await writeXlsx(out, table.label, fields, rows(), setting.organisation.zone)
  })
  whole.catch((error: Error) => out.destroy(error))
  return out
}

/** What people are called in a file: by name, or by e-mail where several have the same. */
async function calledBy(pool: Pool): Promise<Map<number, string>> {
  const people = await listPeople(pool)
  const names = new Map<string, number>()
  for (const { name } of people) names.set(name, (names.get(name) ?? 0) + 1)
  return new Map(people.map(({ id, name, email }) => [id, names.get(name) === 1 ? name : email]))
}

/** A value as a file for people has it: links and people by what they are called. */
function shown(field: FieldDef, record: Image, titles: ReadonlyMap<string, string>, called: ReadonlyMap<number, string>): Stored {
  const value = record[field.name] ?? null
  if (value === null) return null
  if (field.type === 'person') return called.get(Number(value)) ?? String(value)
  if (field.type === 'link') return titles.get(`${field.table} ${value}`) ?? String(value)
  if (field.type === 'file') return titles.get(`file ${value}`) ?? String(value)
  return value
}

/** Waits until a stream takes more, or is closed. */
function drained(out: PassThrough): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      out.off('drain', done).off('close', done)
      resolve()
    }
    out.once('drain', done).once('close', done)
  })
}

/** Writes what a generator gives, no faster than it is read. */
async function write(out: PassThrough, parts: AsyncIterable<string | Buffer>): Promise<void> {
  for await (const part of parts) {
    if (out.destroyed) throw new Error('Nobody reads the file any more.')
    if (!out.write(part)) await drained(out)
  }
  out.end()
}

const writeLines = (out: PassThrough, pages: AsyncGenerator<Image[]>) =>
  write(
    out,
    (async function* () {
      for await (const records of pages) yield records.map((r) => `${JSON.stringify(r)}\n`).join('')
    })(),
  )

const TEXTS = new Set<FieldDef['type']>(['text', 'long text', 'choice', 'email', 'phone', 'person', 'link', 'file', 'folder'])

/** Comma-separated values (RFC 4180) in UTF-8 with a byte order mark, without which spreadsheets take it for something else; texts that they would take for formulas are guarded. */
function writeCsv(out: PassThrough, fields: readonly FieldDef[], rows: AsyncGenerator<Stored[][]>): Promise<void> {
  const isText = fields.map((f) => TEXTS.has(f.type))
  const source = async function* () {
    yield fields.map((f) => f.label)
    for await (const page of rows)
      for (const row of page) yield row.map((v, i) => (v === null ? '' : typeof v === 'boolean' ? (v ? 'yes' : 'no') : isText[i] ? guarded(String(v)) : String(v)))
  }
  return write(out, Readable.from(source()).pipe(stringify({ bom: true, record_delimiter: 'windows' })))
}

/** A workbook with numbers, dates and yes/no as such; moments stand as the organisation's clock shows them. */
async function writeXlsx(out: PassThrough, name: string, fields: readonly FieldDef[], rows: AsyncGenerator<Stored[][]>, zone: string): Promise<void> {
  const { default: exceljs } = await import('exceljs') // a large package, and few read or write workbooks
  const book = new exceljs.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true, useSharedStrings: false })
  const sheet = book.addWorksheet(name.replaceAll(/[*?:\\/[\]]/g, ' ').slice(0, 31), { views: [{ state: 'frozen', ySplit: 1 }] })
  sheet.columns = fields.map((f) => ({ header: f.label, width: f.type === 'long text' ? 60 : 18, style: { numFmt: FORMATS[f.type] ?? 'General' } }))
  sheet.getRow(1).font = { bold: true }
  for await (const page of rows) {
    for (const row of page) sheet.addRow(row.map((value, i) => typed(fields[i]?.type, value, zone))).commit()
    if (out.destroyed) throw new Error('Nobody reads the file any more.')
    if (out.writableNeedDrain) await drained(out)
  }
  sheet.commit()
  await book.commit()
}

const FORMATS: Partial<Record<FieldDef['type'], string>> = { money: '#,##0.00', date: 'yyyy-mm-dd', 'date-time': 'yyyy-mm-dd hh:mm:ss' }

/** A cell's value: digits beyond those that a spreadsheet keeps stand as text. */
function typed(type: FieldDef['type'] | undefined, value: Stored, zone: string): string | number | boolean | Date | null {
  if (value === null || typeof value === 'boolean') return value
  if (type === 'date') return new Date(`${value}T00:00:00Z`)
  if (type === 'date-time') return instantOnClock(new Date(String(value)), zone)
  if ((type === 'number' || type === 'money') && typeof value === 'number') return value
  return String(value)
}
