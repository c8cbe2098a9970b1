import { changeOccasion } from '@/core/cues/occasion'
import { MailCount } from '@/core/limits/mail-count'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { readPassedBy } from '@/store/catch-up'
import type { Queryable } from '@/store/database'
import { APART, Stopwatch } from './apart/patience'
import { settle } from './settle'

/** What would come of the changes that passed a workflow by while it was paused, were they run now. */
export interface PassedByForecast {
  /** How many there are, and of how many of them, the newest, the rest is told. */
  readonly changes: number
  readonly looked: number
  readonly firings: number
  readonly failing: number
  readonly messages: number
  readonly notices: number
  readonly recipients: readonly { readonly address: string; readonly messages: number }[]
}

const MOST_LOOKED_AT = 1_000

/** Works out what running the changes that passed a workflow by would send, with data as it is now. Nothing is sent or written. */
export async function forecastPassedBy(db: Queryable, name: string, surroundings: Surroundings): Promise<PassedByForecast> {
  const { count, changes, document } = await readPassedBy(db, name, surroundings.schema, MOST_LOOKED_AT)
  const mail = new MailCount()
  let [firings, failing] = [0, 0]
  if (document) {
    const compiled = compileWorkflow(document, surroundings)
    const candidates = changes.map((change) => ({ compiled, occasion: changeOccasion(change) }))
    for (const outcome of await settle(db, candidates, false, { setting: surroundings, dry: true }, { stopwatch: new Stopwatch(APART) })) {
      if ('fault' in outcome) failing++
      else {
        if (outcome.plan.fires) firings++
        mail.add([outcome.plan])
      }
    }
  }
  return { changes: count, looked: changes.length, firings, failing, messages: mail.messages, notices: mail.notices, recipients: mail.recipients() }
}
