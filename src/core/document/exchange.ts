import { Lexer, Parser, parse, stringify } from 'yaml'
import { faultOf } from '../must'
import type { Schema } from '../values/tables'
import { DOCUMENT_LIMITS, MAX_NESTED } from './bounds'
import type { Workflow } from './document'
import { readWorkflow, type ShapeProblem } from './schema'

/** Most characters of a workflow that is read from outside. */
export const MOST_IMPORTED = DOCUMENT_LIMITS.characters

/** A workflow as text, to be kept or given to another installation: JSON, or YAML with the same keys (YAML 1.2). */
export function exportWorkflow(workflow: Workflow, as: 'json' | 'yaml'): string {
  return as === 'json' ? `${JSON.stringify(workflow, null, 2)}\n` : stringify(workflow, { lineWidth: 0 })
}

/** Reads a workflow from JSON or YAML; gives it back, or what is wrong with it. YAML's aliases are limited, so that no text explodes. */
export function importWorkflow(text: string): { workflow: Workflow } | { problems: ShapeProblem[] } {
  if (text.length > MOST_IMPORTED) return { problems: [{ path: '', message: `The text has ${text.length} characters; at most ${MOST_IMPORTED} are read.` }] }
  let given: unknown
  try {
    if (isYamlTooDeep(text)) return { problems: [{ path: '', message: `The document is nested deeper than ${MAX_NESTED}.` }] }
    given = parse(text, { maxAliasCount: 20 })
  } catch (error) {
    return { problems: [{ path: '', message: `This is neither JSON nor YAML: ${faultOf(error).split('\n')[0]}` }] }
  }
  return readWorkflow(given)
}

/** Whether a YAML text is nested deeper than is read, told by its tokens, which need no stack. */
function isYamlTooDeep(text: string): boolean {
  const parser = new Parser()
  const { stack } = parser as unknown as { stack: readonly unknown[] }
  for (const lexeme of new Lexer().lex(text)) {
    for (const _ of parser.next(lexeme));
    if (stack.length > MAX_NESTED) return true
  }
  return false
}

/** A name that none of those taken has: the one wanted, else with a number after it. */
export function freeName(wanted: string, taken: ReadonlySet<string>): string {
  let name = wanted
  for (let n = 2; taken.has(name); n++) name = `${wanted} ${n}`
  return name
}

/** A workflow about another table: fields that have the same name there stay, and the review says which have none. Its examples do not go along. */
export function forTable({ examples, ...workflow }: Workflow, table: string, schema: Schema, name: string): Workflow {
  const [from, to] = [schema.get(workflow.table), schema.get(table)]
  if (!from || !to) return { ...workflow, name, table }
  // in texts the record goes by its table's singular
  const renamed = JSON.stringify({ ...workflow, name, table }).replaceAll(new RegExp(`(\\{[{%][^{}]*?)\\b${from.singular}\\.`, 'g'), `$1${to.singular}.`)
  return JSON.parse(renamed)
}
