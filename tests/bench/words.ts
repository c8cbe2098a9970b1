import { tokensOf } from '@/core/words/read/tokens'
import { wordsIn } from '@/core/words/read/words-in'
import { INSTALLATION } from '../support/workflows'
import { median, quantile, report } from './measure'

const SENTENCES = [
  'when a claim is created email its owner with its passenger’s name and phone, and its owner’s team',
  'when a task is done email Rafi Demir',
  'for each booking of a sailing that is late email its passenger',
  'when an enquiry becomes Won set date wanted to today, email its owner, create an inspection; if value is over 500 task for owner in 2 days',
  'when a defect stops sailing email its owner, copy to its vessel’s superintendent, blind copy to the group Directors',
  'when a claim created or changed becomes Settled email its owner and task for its owner in 2 days',
  'when a claim is handed over email its owner',
  'when a document is added email me with its name',
  'when status of a claim changes to Offer made and kind is Vehicle damage email its owner',
  'when an enquiry becomes Won email every contact of its company',
  'every working day at 07:00 email each owner the claims where status is none of Settled or Closed',
]
const ROUNDS = 40
/** Rounds that are not counted: a text is read letter by letter, and the first letters are read before the program is warm. */
const WARM = 3

/** How long a sentence takes to be read whole, against taking it apart into words alone, which nothing that reads it can do without. */
export async function benchWords(): Promise<void> {
  const read: number[] = []
  const apart: number[] = []
  for (let round = 0; round < WARM; round++) for (const sentence of SENTENCES) wordsIn(sentence, INSTALLATION)
  for (let round = 0; round < ROUNDS; round++)
    for (const sentence of SENTENCES) {
      let start = performance.now()
      wordsIn(sentence, INSTALLATION)
      read.push(performance.now() - start)
      start = performance.now()
      tokensOf(sentence)
      apart.push(performance.now() - start)
    }
  const [middle, slow] = [median(read), quantile(read, 0.99)]
  report('words: a sentence read, of 100 the slowest', `${slow.toFixed(1)} ms (${middle.toFixed(2)} ms)`, 'under 10 ms', slow < 10)
  report('words: reading against taking apart into words', `${(middle / median(apart)).toFixed(0)} times`, 'told, not wanted', true)
}
