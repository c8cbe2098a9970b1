import type { Workflow } from '../../document/document'
import type { TableDef } from '../../values/tables'
import type { Installation } from './installation'
import type { Unread } from './reader'
import { type Reading, readSentence } from './sentence'

/** One of two or more ways in which words can be meant. */
export interface Way {
  /** What tells it from the others, in words. */
  readonly words: string
  readonly workflow: Workflow | null
}

/** What was made of words that were typed. */
export interface WordsIn {
  /** Null where it is not said what about. */
  readonly workflow: Workflow | null
  readonly unread: readonly Unread[]
  /** Where words can be meant in more than one way: each, the first being the one taken. */
  readonly readings?: readonly Way[]
  readonly completions: Reading['completions']
}

/** Most ways that are offered of one place. */
const MOST_WAYS = 6

/** Reads words into a workflow: a sentence such as “when a claim becomes Settled email its owner”. Never fails: what is not understood is marked, and what can be meant in two ways is offered in both. */
export function wordsIn(text: string, installation: Installation, table: TableDef | null = null): WordsIn {
  const first = readSentence(text, installation, { table })
  const { workflow, unread, completions } = first
  const [fork] = first.forks
  if (!fork) return { workflow, unread, completions }
  const others = fork.ways
    .slice(1, MOST_WAYS)
    .map((words, i): Way => ({ words, workflow: readSentence(text, installation, { table, picks: new Map([[fork.at, i + 1]]) }).workflow }))
  const readings = [{ words: fork.ways[0] ?? '', workflow }, ...others].filter(
    (way, i, all) => all.findIndex((w) => JSON.stringify(w.workflow) === JSON.stringify(way.workflow)) === i,
  )
  return readings.length > 1 ? { workflow, unread, readings, completions } : { workflow, unread, completions }
}
