import { openCsv } from './csv'
import { firstBytes } from './encoding'
import { openLines } from './lines'
import type { FileRows } from './rows'
import { openXlsx } from './xlsx'

/** Opens a file of rows, by what is in it: a workbook, lines of JSON, or values with a sign between them. @throws Unreadable */
export async function openRows(path: string): Promise<FileRows> {
  const begins = await firstBytes(path, 4_096)
  if (begins.subarray(0, 4).equals(Buffer.from([0x50, 0x4b, 0x03, 0x04]))) return openXlsx(path)
  return /^\ufeff?\s*\{/.test(begins.toString('utf8')) ? openLines(path) : openCsv(path)
}
