import { type FileHandle, open, readFile, writeFile } from 'node:fs/promises'

/** Documents in a file, one a line, in the order they came. What is no whole line, as a full disk or a power cut leaves it, is nothing. */
export class JsonLines<T> {
  private constructor(
    private readonly file: FileHandle,
    private end: number,
  ) {}

  /** Opens a file, which is made where it is not there, with what is in it. */
  static async open<T>(path: string): Promise<{ lines: JsonLines<T>; documents: T[] }> {
    const file = await open(path, 'a+')
    const text = await readFile(path, 'utf8')
    const documents = text.split('\n').flatMap((line) => parsed<T>(line))
    const whole = documents.map(lineOf).join('')
    if (whole !== text) await writeFile(path, whole)
    return { lines: new JsonLines(file, Buffer.byteLength(whole)), documents }
  }

  /** Keeps a document; what could not be written whole is not there. @throws Error where the file cannot be written to */
  async add(document: T): Promise<void> {
    this.end = await written(this.file, Buffer.from(lineOf(document)), this.end)
  }

  close(): Promise<void> {
    return this.file.close()
  }
}

/** Writes all of something at the end of a file that is `end` bytes long, or nothing; where the file ends then. @throws Error where it cannot be written to */
export async function written(file: FileHandle, bytes: Buffer, end: number): Promise<number> {
  try {
    await file.appendFile(bytes)
    return end + bytes.length
  } catch (error) {
    await file.truncate(end).catch(() => undefined)
    throw error
  }
}

const lineOf = (document: unknown) => `${JSON.stringify(document)}\n`

function parsed<T>(line: string): T[] {
  try {
    return [JSON.parse(line) as T]
  } catch {
    return [] // an empty line, and one that was broken off
  }
}
