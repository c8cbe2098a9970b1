import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { createInterface } from 'node:readline'
import type { Raw } from '@/core/bulk/cell'
import { type FileRow, type FileRows, LONGEST_ROW, MOST_COLUMNS, Unreadable } from './rows'

const LOOKED_AT = 1_000

/** Opens a file with a JSON object on each line; the headings are the names in its first thousand lines. @throws Unreadable */
export async function openLines(path: string): Promise<FileRows> {
  const { size } = await stat(path)
  const names = new Set<string>()
  let looked = 0
  for await (const { object } of readLines(path, size)) {
    for (const name of Object.keys(object ?? {})) names.add(name)
    if (++looked >= LOOKED_AT) break
  }
  if (looked === 0) throw new Unreadable('The file is empty.')
  if (names.size > MOST_COLUMNS) throw new Unreadable(`The first lines have ${names.size} names; at most ${MOST_COLUMNS} are read.`)
  const headings = [...names]
  return {
    kind: 'jsonl',
    headings,
    recognised: 'lines of JSON',
    rows: async function* (done) {
      for await (const { row, object, fault } of readLines(path, size, done)) {
        const strange = Object.keys(object ?? {}).find((name) => !names.has(name))
        yield object && strange === undefined
          ? { row, cells: headings.map((h) => rawOf(object[h])) }
          : { row, cells: [], fault: fault ?? `${JSON.stringify(strange)} is a name that no line at the beginning has.` }
      }
    },
  }
}

function rawOf(value: unknown): Raw {
  if (value === undefined || value === null) return null
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? value : JSON.stringify(value)
}

interface Line extends Omit<FileRow, 'cells'> {
  readonly object: Readonly<Record<string, unknown>> | null
}

async function* readLines(path: string, size: number, done?: (share: number) => void): AsyncGenerator<Line> {
  const source = createReadStream(path, 'utf8')
  let [row, pending] = [0, 0]
  source.on('data', (chunk) => {
    pending = chunk.includes('\n') ? chunk.length - chunk.lastIndexOf('\n') : pending + chunk.length
    if (pending > LONGEST_ROW) source.destroy(new Unreadable(`Line ${row + 1} is longer than ${LONGEST_ROW.toLocaleString('en-GB')} characters.`))
  })
  const failed = new Promise<never>((_, reject) => source.once('error', reject))
  failed.catch(() => undefined) // it is told below
  const lines = createInterface({ input: source, crlfDelay: Number.POSITIVE_INFINITY })[Symbol.asyncIterator]()
  try {
    for (let next = await Promise.race([lines.next(), failed]); !next.done; next = await Promise.race([lines.next(), failed])) {
      row++
      done?.(source.bytesRead / Math.max(1, size))
      const text = next.value.replace(/^\ufeff/, '').trim()
      if (text !== '') yield { row, ...parsed(text) }
    }
  } finally {
    source.destroy()
  }
}

function parsed(text: string): { object: Readonly<Record<string, unknown>> | null; fault?: string } {
  try {
    const value: unknown = JSON.parse(text)
    if (isObject(value)) return { object: value }
  } catch {
    // said below
  }
  return { object: null, fault: 'The line is no JSON object.' }
}

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> => typeof value === 'object' && value !== null && !Array.isArray(value)
