import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import csvSpectrum from 'csv-spectrum'
import exceljs from 'exceljs'
import { recogniseDelimiter } from '@/engine/bulk/files/csv'
import { recogniseEncoding } from '@/engine/bulk/files/encoding'
import { openRows } from '@/engine/bulk/files/open'
import { Unreadable } from '@/engine/bulk/files/rows'

/** Files of rows as other programs write them. */

let folder: string
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'rappel-files-'))
})
afterAll(() => rm(folder, { recursive: true, force: true }))

let count = 0
async function file(content: string | Uint8Array): Promise<string> {
  const path = join(folder, `f${count++}`)
  await writeFile(path, content)
  return path
}

async function read(content: string | Uint8Array) {
  const opened = await openRows(await file(content))
  const rows = []
  for await (const row of opened.rows()) rows.push(row)
  return { ...opened, rows }
}
const objects = ({ headings, rows }: Awaited<ReturnType<typeof read>>) => rows.map(({ cells }) => Object.fromEntries(headings.map((h, i) => [h, cells[i]])))

// Source: csv-spectrum, "a bunch of different CSV files to serve as an acid test for CSV parsing libraries" (npm), with what each is to be read as.
test('the odd files of csv-spectrum are read as it says', async () => {
  const samples = await new Promise<{ name: string; csv: Buffer; json: Buffer }[]>((resolve, reject) => csvSpectrum((error, found) => (error ? reject(error) : resolve(found))))
  const told = samples.filter((s) => s.name !== 'location_coordinates') // whose JSON has another number than its CSV
  expect(told.length).toBeGreaterThan(8)
  for (const { name, csv, json } of told) expect([name, objects(await read(csv))]).toEqual([name, JSON.parse(json.toString())])
})

// Source: RFC 4180, section 2, its own examples; the last line may have no end, quotes are doubled, lines break in quotes.
test.each([
  ['aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n', [['zzz', 'yyy', 'xxx']]],
  ['aaa,bbb,ccc\r\nzzz,yyy,xxx', [['zzz', 'yyy', 'xxx']]],
  [
    'a,b,c\r\n"aaa","b \r\nbb","ccc"\r\nzzz,yyy,xxx',
    [
      ['aaa', 'b \r\nbb', 'ccc'],
      ['zzz', 'yyy', 'xxx'],
    ],
  ],
  ['a,b,c\r\n"aaa","b""bb","ccc"', [['aaa', 'b"bb', 'ccc']]],
])('RFC 4180: %j', async (text, cells) => expect((await read(text)).rows.map((r) => r.cells)).toEqual(cells))

// Source: RFC 7111, section 2, its example of temperatures.
test('RFC 7111’s example', async () => {
  const told = await read('date,temperature,place\n2011-01-01,1,Galway\n2011-01-02,-1,Galway\n2011-01-03,0,Galway\n2011-01-01,6,Berkeley\n')
  expect(told.headings).toEqual(['date', 'temperature', 'place'])
  expect(told.rows.at(-1)).toEqual({ row: 5, cells: ['2011-01-01', '6', 'Berkeley'] })
})

test.each([
  ['UTF-8', Buffer.from('naïve;ü\n1;2\n')],
  ['UTF-8', Buffer.from('\ufeffnaïve;ü\n1;2\n')],
  ['UTF-16', Buffer.from('\ufeffnaïve;ü\n1;2\n', 'utf16le')],
  ['UTF-16', Buffer.from('naïve;ü\n1;2\n', 'utf16le')],
  ['UTF-16', Buffer.from('\ufeffnaïve;ü\n1;2\n', 'utf16le').swap16()],
  ['Windows-1252', Buffer.from('na\xefve;\xfc\n1;2\n', 'latin1')],
])('%s is recognised and read', async (encoding, bytes) => {
  const told = await read(bytes)
  expect([told.recognised, told.headings, told.rows]).toEqual([`${encoding}, with semicolons between`, ['naïve', 'ü'], [{ row: 2, cells: ['1', '2'] }]])
})

test('a character that is cut off at the end of what is looked at is no fault', () => {
  const bytes = Buffer.from('é'.repeat(1_000))
  expect([0, 1].map((cut) => recogniseEncoding(bytes.subarray(0, bytes.length - cut)))).toEqual(['utf-8', 'utf-8'])
})

test.each([
  [',', 'a,b;c\n1,2\n3,4\n'],
  [';', 'a;b\n1,5;2,5\n3,5;4,5\n'],
  ['\t', 'a\tb\n"x, y"\t2\n'],
  ['|', 'a|b|c\n1|2|3\n'],
  [',', 'one heading alone\n1\n'],
])('%j stands between in %j', (delimiter, sample) => expect(recogniseDelimiter(sample)[0]).toBe(delimiter))

test('a workbook: dates, numbers, formulas’ values, rich texts, links and gaps', async () => {
  const book = new exceljs.Workbook()
  book.addWorksheet('Nothing')
  const sheet = book.addWorksheet('Rows')
  sheet.addRow(['when', 'amount', 'sum', 'text', 'link', 'yes'])
  sheet.addRow([
    new Date('2026-02-03T00:00:00Z'),
    1234.5,
    { formula: 'B2*2', result: 2469 },
    { richText: [{ text: 'a ' }, { text: 'b', font: { bold: true } }] },
    { text: 'there', hyperlink: 'http://x.example' },
    true,
  ])
  sheet.addRow([])
  sheet.addRow([null, null, null, 'last'])
  const told = await read(new Uint8Array(await book.xlsx.writeBuffer()))
  expect(told.recognised).toBe('a workbook, sheet "Rows"')
  expect(told.headings).toEqual(['when', 'amount', 'sum', 'text', 'link', 'yes'])
  expect(told.rows).toEqual([
    { row: 2, cells: [{ wall: new Date('2026-02-03T00:00:00Z') }, 1234.5, 2469, 'a b', 'there', true] },
    { row: 4, cells: [null, null, null, 'last'] },
  ])
})

test('lines of JSON; what is none is a fault of its line alone', async () => {
  const told = await read('{"a":1,"b":"x"}\n\nno\n{"a":null,"b":true}\n[1]\n')
  expect(told.headings).toEqual(['a', 'b'])
  expect(told.rows).toEqual([
    { row: 1, cells: [1, 'x'] },
    { row: 3, cells: [], fault: 'The line is no JSON object.' },
    { row: 4, cells: [null, true] },
    { row: 5, cells: [], fault: 'The line is no JSON object.' },
  ])
})

test.each([
  ['', /empty/],
  ['a,b\n1,"2\n3,4\n', /quotation mark is opened and never closed/],
  [`a\n"${'x'.repeat(3_100_000)}"\n`, /longer than 3,000,000 characters/],
  [`{"a":"${'x'.repeat(3_100_000)}"}\n`, /longer than 3,000,000 characters/],
  [Buffer.concat([Buffer.from('PK\x03\x04'), Buffer.alloc(2_000, 7)]), /cannot be unpacked|damaged/],
  [`${Array.from({ length: 1_001 }, (_, i) => `c${i}`).join(',')}\n`, /1001 columns; at most 1000/],
])('a file that cannot be read is refused in words (%#)', async (content, sentence) => {
  const error = await read(content).then(
    () => null,
    (e: unknown) => e,
  )
  expect(error).toBeInstanceOf(Unreadable)
  expect(String(error)).toMatch(sentence)
})

test('a row with more cells than there are headings says so', async () => {
  expect((await read('a,b\n1,2,3\n4,5,\n')).rows).toEqual([
    { row: 2, cells: ['1', '2', '3'], fault: expect.stringContaining('The row has 3 cells where there are 2 headings.') },
    { row: 3, cells: ['4', '5', ''] },
  ])
})
