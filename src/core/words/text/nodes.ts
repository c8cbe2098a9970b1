import { DOCUMENT_LIMITS } from '../../document/bounds'

/** A line of a brief as text, with what is written under it. */
export interface Node {
  /** The role word in small letters; empty for a clause. */
  readonly role: string
  readonly words: string
  readonly muted: boolean
  /** Members that its words do not say, by their names; blocks come with their lines. */
  readonly details: Map<string, string | { readonly block: string }>
  readonly children: Node[]
  /** Where its words stand in the text. */
  readonly from: number
  readonly depth: number
}

export const ROLES = ['cue', 'becomes', 'where', 'bring', 'value', 'email', 'notice', 'update', 'create', 'task', 'choose', 'if', 'else', 'each', 'limit'] as const

const LINE = new RegExp(String.raw`^(\s*)(?:(\d{1,4}(?:\.\d{1,4}){0,12})[.)]?\s+)?(?:(${ROLES.map((r) => r.toUpperCase()).join('|')})(?:\s+|$))?(\(muted\)\s+)?(.*)$`)
const DETAIL = /^(\s*)([A-Za-z][A-Za-z ]{0,20}):(?:\s(.*)|\s*)$/

/** Whether a text is a brief written out, rather than a sentence. */
export const isBriefText = (text: string): boolean => /^\s*(Workflow:|1[.)]?\s+CUE\b|CUE\s)/.test(text) && text.includes('\n')

/** Lines that are being gathered into a member of the line above them. */
interface Block {
  readonly node: Node
  readonly key: string
  readonly indent: number
  readonly lines: string[]
}

function endBlock(blocks: Block[]): void {
  const block = blocks.pop()
  if (!block) return
  while (block.lines.at(-1) === '' && block.lines.length > 1) block.lines.pop()
  block.node.details.set(block.key, { block: block.lines.join('\n') })
}

/** Most lines that are read of a brief; a document has fewer. */
const MOST_LINES = 1_500

/** Takes the lines of a brief's text apart into a tree; the first is the whole, with what belongs to none of its lines. */
export function nodesOf(text: string): Node {
  const root: Node = { role: '', words: '', muted: false, details: new Map(), children: [], from: 0, depth: -1 }
  const open: Node[] = [root]
  let at = 0
  let count = 0
  const blocks: Block[] = []
  for (const line of text.slice(0, DOCUMENT_LIMITS.characters).split(/\r?\n/)) {
    const from = at
    at += line.length + 1
    const indent = line.length - line.trimStart().length
    const [current] = blocks
    if (current && (line.trim() === '' || indent > current.indent)) {
      current.lines.push(line.slice(current.indent + 2))
      continue
    }
    endBlock(blocks)
    if (line.trim() === '') continue
    const node = open.at(-1) ?? root
    const detail = DETAIL.exec(line)
    if (detail && !/^\s*\d/.test(line) && (indent > 0 || node === root)) {
      const [, , key = '', value = ''] = detail
      if (value.trim() === '|') blocks.push({ node, key: key.toLowerCase(), indent, lines: [] })
      else node.details.set(key.toLowerCase(), value.trim())
      continue
    }
    const [, , number, role = '', muted, words = ''] = LINE.exec(line) ?? []
    const depth = number === undefined ? Math.floor(indent / 2) : number.split('.').length - 1
    while (open.length > 1 && (open.at(-1)?.depth ?? -1) >= depth) open.pop()
    const made: Node = {
      role: role.toLowerCase(),
      words: words.trim(),
      muted: muted !== undefined,
      details: new Map(),
      children: [],
      from: from + line.length - words.length,
      depth,
    }
    if (++count > MOST_LINES) break
    open.at(-1)?.children.push(made)
    open.push(made)
  }
  endBlock(blocks)
  return root
}
