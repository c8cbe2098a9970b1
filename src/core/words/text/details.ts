import { membersOf } from '../../must'

/** Whether two parts of documents are the same, whatever the order of their members. */
export function isSame(a: unknown, b: unknown): boolean {
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return a === b
  if (Array.isArray(a) !== Array.isArray(b)) return false
  const [first, second] = [membersWithValue(a), membersWithValue(b)]
  return first.length === second.length && first.every(([name, value]) => isSame(value, membersOf(b)[name]))
}

const membersWithValue = (of: object) => Object.entries(of).filter(([, value]) => value !== undefined)

/** Whether a text can stand on one line as it is. */
const isPlain = (text: string) => text !== '' && text === text.trim() && !/[\p{Cc}\p{Zl}\p{Zp}]/u.test(text) && !/^(["[|]|\{(?!\{))/.test(text)

/** Whether a text can stand as lines of its own: nothing at their ends that an editor would take away. */
const isBlock = (text: string) => /\n.*\S$/.test(text) && text.split('\n').every((line) => line === line.trimEnd() && !/[\p{Cc}\p{Zl}\p{Zp}]/u.test(line))

/** A member of a line written under it: plain, as a block of lines behind `|`, or as JSON (RFC 8259). */
export function writeDetail(key: string, value: unknown, indent: string): string {
  if (typeof value === 'string' && isPlain(value) && !readsAsJson(value)) return `${indent}${key}: ${value}`
  if (typeof value === 'string' && isBlock(value)) return [`${indent}${key}: |`, ...value.split('\n').map((line) => (line === '' ? '' : `${indent}  ${line}`))].join('\n')
  return `${indent}${key}: ${JSON.stringify(value).replaceAll(/[\u0085\u2028\u2029]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`)}`
}

/** Whether a text would be taken for a value of another kind. */
const readsAsJson = (text: string) => /^(none|true|false|null|-?\d+(\.\d+)?([eE][+-]?\d+)?)$/.test(text)

/** A member as it was written: JSON where it is, else the text. */
export function readDetail(text: string): unknown {
  if (!/^["{[]/.test(text) && !readsAsJson(text)) return text
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
