import { beginsInOrder } from '../values/begins'
import { type Starter, type StarterSetting, starterSentence, startersOf, valueStartersOf } from './starters'

/** A starter that was found by its words, and the table that it is of. */
export interface FoundStarter {
  readonly table: string
  readonly starter: Starter
  /** The whole of it in words: "claim’s status becomes Settled". */
  readonly sentence: string
}

/** The starters of every table whose words begin, in order, with what was typed, such as "claim settled"; those with a value first. At most `most`. */
export function findStarters(typed: string, setting: StarterSetting, most: number): FoundStarter[] {
  const found: FoundStarter[] = []
  for (const table of setting.wording.schema.values()) {
    if (table.name === 'person' || table.archived) continue
    for (const starter of [...valueStartersOf(table, setting), ...startersOf(table, setting)]) {
      const sentence = starterSentence(starter, table)
      if (beginsInOrder(sentence, typed) || beginsInOrder(`${table.label} ${sentence}`, typed)) found.push({ table: table.name, starter, sentence })
      if (found.length >= most) return found
    }
  }
  return found
}
