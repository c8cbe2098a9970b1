import type { TableDef } from '../../values/tables'
import { byClock } from './by-clock'
import { byFigure } from './by-figure'
import { byHand } from './by-hand'
import { byRecord } from './by-record'
import type { ReadCue, ScopeOf } from './cue-scope'
import type { Scope } from './paths'
import type { Reader } from './reader'

/** What a workflow waits for: “when a claim becomes Settled”, “every working day at 07:00, for each claim that fits”, “by hand, on a claim”. Null where it is not said. */
export function readCue(r: Reader, scopeOf: ScopeOf, words: Scope['words'], given: TableDef | null): ReadCue | null {
  return r.attempt(() => byHand(r, scopeOf, words, given) ?? byClock(r, scopeOf, words, given) ?? byFigure(r, scopeOf, words) ?? byRecord(r, scopeOf, words, given))
}
