import type { ShapeProblem } from './schema-parts'

/**
 * How large a workflow document may be. What is larger is refused before anything is read deeper, here, in the browser and in the API alike, and
 * docs/api.md and the OpenAPI description say the same numbers.
 */
export const DOCUMENT_LIMITS = {
  /** Characters of all texts and names together. */
  characters: 1_000_000,
  /** Characters of one text. */
  text: 65_536,
  /** Characters of all formulas together. */
  formulas: 20_000,
  clauses: 200,
  actions: 100,
  /** Recipients of one entry: To, Cc, Bcc, or if nobody is left. */
  recipients: 100,
  bringIn: 50,
  values: 50,
  examples: 100,
  /** Questions that are asked when a workflow is run by hand. */
  ask: 30,
  /** How deep conditions, and actions, may stand in one another. */
  depth: 12,
  /** Entries of any other list, such as the values of “is one of”. */
  entries: 2_000,
  /** Members and entries of all objects and lists together. */
  parts: 15_000,
} as const

/** How deep anything may stand in anything in JSON: more than the deepest document needs. */
export const MAX_NESTED = 100

const RECIPIENTS: ReadonlySet<string> = new Set(['to', 'cc', 'bcc', 'ifNobody'])
const LISTS = { bringIn: 'things brought in', values: 'values', examples: 'examples', ask: 'questions' } as const

interface Visit {
  readonly value: unknown
  readonly path: string
  readonly name: string
  readonly depth: number
}

const isListName = (name: string): name is keyof typeof LISTS => Object.hasOwn(LISTS, name)

/** What is counted over a whole document. */
class Tally {
  parts = 0
  clauses = 0
  actions = 0
  formulas = 0
  characters = 0
  problem: ShapeProblem | null = null

  refuse(path: string, message: string): void {
    this.problem ??= { path, message }
  }

  /** Counts one value; says what of it is too much. */
  count({ value, path, name, depth }: Visit): void {
    if (depth > MAX_NESTED) return this.refuse('', `The document is nested deeper than ${MAX_NESTED}.`)
    if (++this.parts > DOCUMENT_LIMITS.parts) return this.refuse('', `The document has more than ${DOCUMENT_LIMITS.parts} parts.`)
    if (typeof value === 'string') return this.text(value, path, name)
    if (Array.isArray(value)) return this.list(value.length, path, name)
    if (typeof value !== 'object' || value === null) return
    if ('op' in value && ++this.clauses > DOCUMENT_LIMITS.clauses) this.refuse(path, `There are more than ${DOCUMENT_LIMITS.clauses} clauses.`)
    if ('do' in value && ++this.actions > DOCUMENT_LIMITS.actions) this.refuse(path, `There are more than ${DOCUMENT_LIMITS.actions} actions.`)
  }

  private text(text: string, path: string, name: string): void {
    this.characters += text.length
    if (name === 'formula') this.formulas += text.length
    const { text: most, characters, formulas } = DOCUMENT_LIMITS
    if (text.length > most) this.refuse(path, `The text has ${text.length} characters; at most ${most} are allowed.`)
    if (this.characters > characters) this.refuse(path, `The document has more than ${characters} characters.`)
    if (this.formulas > formulas) this.refuse(path, `The formulas have more than ${formulas} characters together.`)
  }

  private list(length: number, path: string, name: string): void {
    const isRecipients = RECIPIENTS.has(name)
    const most = isRecipients ? DOCUMENT_LIMITS.recipients : isListName(name) ? DOCUMENT_LIMITS[name] : DOCUMENT_LIMITS.entries
    const what = isRecipients ? 'recipients' : isListName(name) ? LISTS[name] : 'entries'
    if (length > most) this.refuse(path, `There are ${length} ${what}; at most ${most} are allowed.`)
  }
}

/** How much is in a document, and what of it is more than may be. */
export type Size = Pick<Tally, 'parts' | 'clauses' | 'actions' | 'problem'>

/** What makes a document, or a part of one, larger than it may be; null where nothing does. */
export function boundsProblem(input: unknown): ShapeProblem | null {
  return sizeOf(input).problem
}

/** How large a document, or a part of one, is, up to where it is larger than it may be. It takes time in proportion to what it looks at, and no stack. */
export function sizeOf(input: unknown): Size {
  const tally = new Tally()
  const open: Visit[] = [{ value: input, path: '', name: '', depth: 0 }]
  for (let at = open.pop(); at; at = open.pop()) {
    tally.count(at)
    if (tally.problem) return tally
    const { value, path, depth, name } = at
    if (Array.isArray(value)) value.forEach((entry, i) => open.push({ value: entry, path: `${path}/${i}`, name: '', depth: depth + 1 }))
    else if (typeof value === 'object' && value !== null) {
      const members = Object.entries(value)
      if (members.length > DOCUMENT_LIMITS.entries) tally.refuse(path, `There are ${members.length} members; at most ${DOCUMENT_LIMITS.entries} are allowed.`)
      for (const [key, entry] of members) {
        tally.count({ value: key, path, name, depth })
        open.push({ value: entry, path: `${path}/${key.slice(0, 80)}`, name: key, depth: depth + 1 })
      }
    }
  }
  return tally
}

/** Whether brackets of a JSON text stand in one another deeper than is read; those inside strings do not count. It takes time in proportion to the text. */
export function isNestedTooDeep(json: string): boolean {
  let depth = 0
  for (let i = 0; i < json.length; i++) {
    const character = json.charCodeAt(i)
    if (character === QUOTE) i = endOfString(json, i)
    else if (character === BRACKET || character === BRACE) {
      if (++depth > MAX_NESTED) return true
    } else if (character === BRACKET + 2 || character === BRACE + 2) depth--
  }
  return false
}

/** Where the string ends that begins at a quote: its closing quote, or the end of the text. */
function endOfString(json: string, from: number): number {
  for (let end = json.indexOf('"', from + 1); end >= 0; end = json.indexOf('"', end + 1)) {
    let slashes = 0
    while (json.charCodeAt(end - 1 - slashes) === BACKSLASH) slashes++
    if (slashes % 2 === 0) return end
  }
  return json.length
}

const [QUOTE, BACKSLASH, BRACKET, BRACE] = [34, 92, 91, 123]
