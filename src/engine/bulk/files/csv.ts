import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { pipeline } from 'node:stream'
import { type CsvError, type Options, parse } from 'csv-parse'
import { parse as parseNow } from 'csv-parse/sync'
import { faultOf, must } from '@/core/must'
import { type Encoding, firstBytes, recogniseEncoding } from './encoding'
import { type FileRow, type FileRows, LONGEST_ROW, MOST_COLUMNS, Unreadable } from './rows'

const DELIMITERS = [
  [',', 'commas'],
  [';', 'semicolons'],
  ['\t', 'tabs'],
  ['|', 'bars'],
] as const
const ENCODINGS: Record<Encoding, string> = { 'utf-8': 'UTF-8', 'utf-16le': 'UTF-16', 'utf-16be': 'UTF-16', 'windows-1252': 'Windows-1252' }
const SAMPLE = 200_000

const OPTIONS: Options = { bom: true, relax_column_count: true, relax_quotes: true, skip_empty_lines: true, max_record_size: LONGEST_ROW }

/** Recognises what stands between a file's columns: the sign that gives the most columns alike in the first rows. */
export function recogniseDelimiter(sample: string): (typeof DELIMITERS)[number] {
  const score = ([delimiter]: (typeof DELIMITERS)[number]): number => {
    try {
      const counts = parseNow(sample, { ...OPTIONS, delimiter, to: 50 }).map((row: readonly unknown[]) => row.length)
      const columns = counts[0] ?? 0
      return columns < 2 ? 0 : (columns * counts.filter((n: number) => n === columns).length) / counts.length
    } catch {
      return 0
    }
  }
  const scored = DELIMITERS.map((d) => ({ d, score: score(d) }))
  return scored.reduce((best, one) => (one.score > best.score ? one : best), must(scored[0])).d
}

/** Opens a file of comma-separated values (RFC 4180, with other signs and encodings as they are met): its first row holds the headings. @throws Unreadable */
export async function openCsv(path: string): Promise<FileRows> {
  const bytes = await firstBytes(path)
  const encoding = recogniseEncoding(bytes)
  const text = new TextDecoder(encoding).decode(bytes.subarray(0, SAMPLE))
  const { size } = await stat(path)
  const whole = size <= SAMPLE ? text : text.slice(0, Math.max(text.lastIndexOf('\n'), 0)) || text
  const [delimiter, words] = recogniseDelimiter(whole)
  const records = (done?: (share: number) => void) => readRecords(path, encoding, delimiter, size, done)
  const first = await records().next()
  if (first.done) throw new Unreadable('The file is empty.')
  const headings = first.value.map((h) => h.trim())
  if (headings.length > MOST_COLUMNS) throw new Unreadable(`The file has ${headings.length} columns; at most ${MOST_COLUMNS} are read.`)
  return {
    kind: 'csv',
    headings,
    recognised: `${ENCODINGS[encoding]}, with ${words} between`,
    rows: async function* (done) {
      let row = 0
      for await (const cells of records(done)) {
        row++
        if (row > 1) yield rowOf(row, cells, headings.length)
      }
    },
  }
}

function rowOf(row: number, cells: readonly string[], columns: number): FileRow {
  if (cells.length <= columns || cells.slice(columns).every((c) => c.trim() === '')) return { row, cells }
  return { row, cells, fault: `The row has ${cells.length} cells where there are ${columns} headings. A text with a comma in it stands in quotes.` }
}

async function* readRecords(path: string, encoding: Encoding, delimiter: string, size: number, done?: (share: number) => void): AsyncGenerator<readonly string[]> {
  let read = 0
  const passed = (bytes: number) => {
    read += bytes
    done?.(read / Math.max(1, size))
  }
  const parser = parse({ ...OPTIONS, delimiter })
  // what goes wrong anywhere in the pipeline comes out where it is read
  pipeline(createReadStream(path), decoding(encoding, passed), parser, () => undefined)
  try {
    for await (const record of parser) yield record
  } catch (error) {
    throw unreadable(error)
  } finally {
    parser.destroy()
  }
}

/** Decodes a stream of bytes piece by piece. */
function decoding(encoding: Encoding, passed: (bytes: number) => void) {
  return async function* (source: AsyncIterable<Buffer>): AsyncGenerator<string> {
    const decoder = new TextDecoder(encoding)
    for await (const chunk of source) {
      passed(chunk.length)
      yield decoder.decode(chunk, { stream: true })
    }
    yield decoder.decode()
  }
}

const isCsvError = (error: unknown): error is CsvError => error instanceof Error && 'code' in error && String(error.code).startsWith('CSV_')

function unreadable(error: unknown): unknown {
  if (!isCsvError(error)) return error
  if (error.code === 'CSV_QUOTE_NOT_CLOSED')
    return new Unreadable(`A quotation mark is opened and never closed, after row ${error.records}. Close it, or double it where it belongs to the text.`)
  if (error.code === 'CSV_MAX_RECORD_SIZE')
    return new Unreadable(`The row after row ${error.records} is longer than ${LONGEST_ROW.toLocaleString('en-GB')} characters; a quotation mark may be missing.`)
  return new Unreadable(`The file cannot be read after row ${error.records}: ${faultOf(error)}`)
}
