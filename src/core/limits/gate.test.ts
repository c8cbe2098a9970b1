import fc from 'fast-check'
import type { Limits } from '../document/document'
import type { Plan, PlannedMessage, PlannedRecipient } from '../workflow/plan'
import { everybody, nothing } from '../workflow/plan'
import { type About, gate, type Passing } from './gate'
import { NOTHING_SAID } from './own-say'

/** What spacing lets through, held against a book of who was written to when: written anew, with nothing of the gate in it. */

const ADDRESSES = ['a@x.example', 'B@x.example', 'c@x.example', 'd@x.example']
const START = new Date('2026-03-02T10:00:00Z').getTime()
const MINUTE = 60_000
const EVERY_MINUTES = 60

const organisation = { name: 'X', zone: 'UTC', locale: 'en-GB', currency: 'EUR' } as never

interface Run {
  /** Minutes after the one before. */
  readonly after: number
  readonly record: number
  readonly messages: readonly { readonly to: readonly string[]; readonly cc: readonly string[]; readonly bcc: readonly string[] }[]
}

const some = (least: number) => fc.uniqueArray(fc.constantFrom(...ADDRESSES), { minLength: least, maxLength: 3 })
const run = fc.record<Run>({
  after: fc.integer({ min: 0, max: 50 }),
  record: fc.integer({ min: 1, max: 2 }),
  messages: fc.array(fc.record({ to: some(1), cc: some(0), bcc: some(0) }), { maxLength: 2 }), // none: a run that found nobody
})

const asPlanned = (address: string): PlannedRecipient => ({ address, name: null }) as never
const planOf = ({ messages }: Run): Plan => ({
  ...nothing('holds', 'It fires.'),
  messages: messages.map(({ to, cc, bcc }, i) => ({ path: `/actions/${i}`, to: to.map(asPlanned), cc: cc.map(asPlanned), bcc: bcc.map(asPlanned) }) as unknown as PlannedMessage),
})

/** Runs one after the other through the gate of a workflow; whom each wrote to. */
function gated(runs: readonly Run[], limits: Limits): { at: number; to: string[]; planned: string[]; record: number; notes: string[] }[] {
  const passed = new Map<string, { at: Date; run: string }>()
  const passing: Passing = { last: (key) => passed.get(key) ?? null, passedOn: () => 0, said: NOTHING_SAID }
  let at = START
  return runs.map((given, i) => {
    at += given.after * MINUTE
    const about: About = { at: new Date(at), record: given.record, group: null }
    const plan = planOf(given)
    const { messages, keys, notes } = gate(plan, limits, about, `run ${i}`, passing, organisation)
    for (const key of keys) passed.set(key, { at: about.at, run: `run ${i}` })
    const addresses = (list: readonly PlannedMessage[]) => [...new Set(list.flatMap((m) => everybody(m).map((r) => r.address)))].sort()
    return { at, to: addresses(messages), planned: addresses(plan.messages), record: given.record, notes: notes.map((n) => n.code) }
  })
}

test('one per recipient: an address is left out where it was written to within the time, and never otherwise', () => {
  fc.assert(
    fc.property(fc.array(run, { maxLength: 12 }), (runs) => {
      const book = new Map<string, number>()
      for (const { at, to, planned } of gated(runs, { spacing: { per: 'recipient', every: 'PT1H' } })) {
        const due = planned.filter((address) => (book.get(address) ?? Number.NEGATIVE_INFINITY) + EVERY_MINUTES * MINUTE <= at)
        expect(to).toEqual(due)
        for (const address of due) book.set(address, at)
      }
    }),
    { numRuns: 400 },
  )
})

test.each(['record', 'workflow'] as const)('one per %s: mail is left out where any went within the time, and never otherwise', (per) => {
  fc.assert(
    fc.property(fc.array(run, { maxLength: 12 }), (runs) => {
      const book = new Map<number, number>()
      for (const { at, to, planned, record } of gated(runs, { spacing: { per, every: 'PT1H' } })) {
        const about = per === 'record' ? record : 0
        const isDue = (book.get(about) ?? Number.NEGATIVE_INFINITY) + EVERY_MINUTES * MINUTE <= at
        expect(to).toEqual(isDue ? planned : [])
        if (isDue && planned.length > 0) book.set(about, at)
      }
    }),
    { numRuns: 400 },
  )
})

test('what a digest gathers is said of runs that have mail, and of no other', () => {
  fc.assert(
    fc.property(fc.array(run, { maxLength: 6 }), (runs) => {
      for (const { planned, notes } of gated(runs, { digest: { at: ['16:00'] }, quietHours: { from: '09:00', to: '18:00' } })) {
        expect(notes).toEqual(planned.length > 0 ? ['gathered'] : [])
      }
    }),
  )
})
