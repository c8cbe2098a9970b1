import { propose } from '@/core/propose/propose'
import type { FieldDef, TableDef } from '@/core/values/tables'
import { Chance } from '../soak/chance'
import { asked } from '../support/asked'
import { COMPANIES, firesOf, marksFor, ordersTable, pastOf, type Rule, ruleWithPast } from '../support/past'
import { median, report } from './measure'

const RULES = Number(process.env.PROPOSE_RULES ?? 100)
const [PAST, MARKED, QUESTIONS] = [500, 15, 8]

const BESIDE: TableDef = {
  ...COMPANIES,
  fields: [...COMPANIES.fields, ...Array.from({ length: 196 }, (_, i): FieldDef => ({ name: `f_${i}`, label: `f ${i}`, type: i % 3 ? 'text' : 'number' }))],
}

const WIDE: readonly Rule[] = [
  {
    on: ['created', 'changed'],
    firing: 'entering',
    condition: {
      all: [
        { field: 'status', op: 'is', value: 'Closed' },
        { field: 'amount', op: 'at least', value: 1_200 },
      ],
    },
  },
  {
    on: ['changed'],
    firing: 'entering',
    condition: {
      all: [
        { field: 'company.tier', op: 'is', value: 'Gold' },
        {
          any: [
            { field: 'amount', op: 'rose' },
            { field: 'score', op: 'at least', value: 90 },
          ],
        },
      ],
    },
  },
]

/** How often a rule drawn from the language is found exactly by marks and questions, and how long proposing takes where there is much, against reading every value of the changes once. */
export async function benchPropose(): Promise<void> {
  let [found, questions] = [0, 0]
  const missed: number[] = []
  const untilOne: number[] = []
  for (let seed = 1; seed <= RULES; seed++) {
    const came = asked(ruleWithPast(seed, PAST, MARKED), MARKED, QUESTIONS, () => undefined)
    questions += came.questions
    untilOne.push(came.untilOne ?? Number.POSITIVE_INFINITY)
    if (came.isFound) found++
    else missed.push(seed)
  }
  report(
    `propose: rules found exactly, of ${RULES}`,
    `${found} (${(questions / RULES).toFixed(1)} questions each; not ${missed.join(', ')})`,
    'at least 95 in 100',
    found >= 0.95 * RULES,
  )
  const few = untilOne.filter((n) => n <= 5).length
  report('propose: questions until one proposal is left', `${median(untilOne)} (at most five for ${few} of ${RULES})`, 'usually at most five', few > RULES / 2)
  const times: number[] = []
  const reads: number[] = []
  for (const rule of WIDE) {
    const draw = new Chance(5)
    const past = pastOf(draw, 20_000, { table: ordersTable(30), beside: BESIDE })
    const marks = marksFor(draw, past, rule, firesOf(past, rule), 6)
    for (let i = 0; i < 3; i++) {
      const fresh = past.only(past.observations.map((_, k) => k))
      let start = performance.now()
      propose(fresh, marks)
      times.push(performance.now() - start)
      start = performance.now()
      for (const field of past.table.fields) past.only(past.observations.map((_, k) => k)).column(field.name)
      reads.push(performance.now() - start)
    }
  }
  report('propose: 20,000 changes of 40 fields, 200 linked', `${median(times).toFixed(0)} ms`, 'under 1,000 ms', median(times) < 1_000)
  report('propose: against reading every field of them once', `${(median(times) / median(reads)).toFixed(1)} times`, 'told, not wanted', true)
}
