import type { CellValue } from 'exceljs'
import { open as openZip } from 'yauzl'
import type { Raw } from '@/core/bulk/cell'
import { faultOf } from '@/core/must'
import { type FileRows, MOST_COLUMNS, Unreadable } from './rows'

/** The most bytes that a workbook may unpack to, and its shared texts, which are kept in memory. */
const MOST_UNPACKED = 2_000_000_000
const MOST_SHARED = 200_000_000

/** Opens the first sheet of a workbook (ISO/IEC 29500, Office Open XML) that has any rows: its first row holds the headings. Of formulas the value counts that was kept. @throws Unreadable */
export async function openXlsx(path: string): Promise<FileRows> {
  await refuseBomb(path)
  let sheet = ''
  const records = async function* (): AsyncGenerator<{ row: number; cells: Raw[] }> {
    const { default: exceljs } = await import('exceljs') // a large package, and few read or write workbooks
    const book = new exceljs.stream.xlsx.WorkbookReader(path, { sharedStrings: 'cache', styles: 'cache', hyperlinks: 'ignore', worksheets: 'emit' })
    try {
      for await (const worksheet of book) {
        let any = false
        for await (const row of worksheet) {
          const cells: Raw[] = []
          row.eachCell({ includeEmpty: true }, (cell, column) => {
            if (column <= MOST_COLUMNS) cells[column - 1] = rawOf(cell.value)
          })
          if (cells.every((c) => c === null || c === '')) continue
          any = true
          sheet = 'name' in worksheet ? String(worksheet.name) : ''
          yield { row: row.number, cells: Array.from(cells, (c) => c ?? null) }
        }
        if (any) return
      }
    } catch (error) {
      throw new Unreadable(`The workbook cannot be read: ${faultOf(error)}`)
    }
  }
  const first = await records().next()
  if (first.done) throw new Unreadable('The workbook has no rows.')
  const headings = first.value.cells.map((c) => (c === null || typeof c === 'object' ? '' : String(c).trim()))
  const at = first.value.row
  return {
    kind: 'xlsx',
    headings,
    recognised: `a workbook, sheet ${JSON.stringify(sheet)}`,
    rows: async function* () {
      for await (const record of records()) if (record.row > at) yield record
    },
  }
}

/** A cell's value without its dress: of rich texts the text, of links what they show, of formulas their value. */
function rawOf(value: CellValue): Raw {
  if (value === null || value === undefined) return null
  if (value instanceof Date) return { wall: value }
  if (typeof value !== 'object') return value
  if ('richText' in value) return value.richText.map((part) => part.text).join('')
  if ('hyperlink' in value) return String(value.text ?? '')
  if ('error' in value) return String(value.error)
  return 'result' in value ? rawOf(value.result) : null
}

/** Refuses a workbook that unpacks to more than is read; sizes that are not what they claim to be are refused by whoever unpacks. */
function refuseBomb(path: string): Promise<void> {
  return new Promise((resolve, reject) => {
    openZip(path, { lazyEntries: true }, (error, zip) => {
      if (error) return reject(new Unreadable('The file is no workbook: it cannot be unpacked.'))
      let unpacked = 0
      const stop = (message: string) => {
        zip.close()
        reject(new Unreadable(message))
      }
      zip.on('error', () => stop('The workbook is damaged.'))
      zip.on('end', () => resolve())
      zip.on('entry', (entry) => {
        zip.openReadStream(entry, (failed, stream) => {
          if (failed) return stop('The workbook is damaged.')
          let own = 0
          stream.on('error', () => stop('The workbook is damaged.'))
          stream.on('data', (chunk: Buffer) => {
            own += chunk.length
            unpacked += chunk.length
            if (unpacked > MOST_UNPACKED || (own > MOST_SHARED && /sharedStrings\.xml$/i.test(entry.fileName))) {
              stream.destroy()
              stop('The workbook unpacks to more than is read at once. Save it as CSV.')
            }
          })
          stream.on('end', () => zip.readEntry())
        })
      })
      zip.readEntry()
    })
  })
}
