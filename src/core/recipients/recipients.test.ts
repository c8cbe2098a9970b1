import fc from 'fast-check'
import { INES, newClaimWorkflow, RAFI } from '../../../tests/support/claims'
import { claimChange, loadedWorld, SURROUNDINGS } from '../../../tests/support/core'
import { changeOccasion } from '../cues/occasion'
import type { Recipient } from '../document/document'
import { compileWorkflow, evaluateOrNeed, type Plan } from '../workflow/evaluate'

/** What an entry yields, each with what is wrong with it: written down by hand for the people and groups of the small world of these tests. */
interface Yielded {
  readonly entry: Recipient
  readonly gives: readonly { readonly address: string | null; readonly wrong?: 'blank address' | 'faulty address' | 'inactive person' | 'suppressed address' }[]
}

const gone = { address: 'gone@office.example', wrong: 'inactive person' } as const
const literal = (address: string): Yielded => ({ entry: { address }, gives: [{ address }] })
const one: fc.Arbitrary<Yielded> = fc.constantFrom<Yielded>(
  { entry: { field: 'owner' }, gives: [{ address: INES }] },
  { entry: { managerOf: 'owner' }, gives: [{ address: null, wrong: 'blank address' }] },
  { entry: { changedBy: true }, gives: [{ address: RAFI }] },
  { entry: { field: 'contact_email' }, gives: [{ address: 'bounced@example.org', wrong: 'suppressed address' }] },
  { entry: { field: 'before.owner' }, gives: [gone] },
  { entry: { field: 'before.contact_email' }, gives: [{ address: null, wrong: 'blank address' }] },
  { entry: { group: 'Desk' }, gives: [{ address: INES }, gone, { address: 'desk@office.example' }, { address: INES.toUpperCase() }] },
  { entry: { team: 'Claims' }, gives: [{ address: INES }, gone] },
  { entry: { text: 'Some One <someone@example.org>, nobody; ' }, gives: [{ address: 'someone@example.org' }, { address: 'nobody', wrong: 'faulty address' }] },
  { entry: { text: '{{ claim.note }}' }, gives: [{ address: 'desk@office.example' }, { address: RAFI }] },
  literal('someone@example.org'),
  literal('SOMEONE@example.org'),
  literal(` ${RAFI} `),
)
const list = fc.array(one, { maxLength: 5 })

function planned(to: readonly Yielded[], cc: readonly Yielded[], bcc: readonly Yielded[], delivery: 'together' | 'each'): Plan {
  const entries = (given: readonly Yielded[]) => given.map((y) => y.entry)
  const workflow = newClaimWorkflow({
    cue: { kind: 'record', on: ['changed'] },
    actions: [{ name: 'tell', do: 'email', to: entries(to), cc: entries(cc), bcc: entries(bcc), delivery, subject: 'S', body: 'B' }],
  })
  const change = claimChange('changed', { owner: 3, contact_email: null }, { owner: 1, contact_email: 'bounced@example.org', note: `desk@office.example ${RAFI}` })
  const outcome = evaluateOrNeed(compileWorkflow(workflow, SURROUNDINGS), changeOccasion(change), loadedWorld(), false)
  if ('needs' in outcome) throw new Error(`needs ${JSON.stringify(outcome.needs)}`)
  return outcome.plan
}

/** Cleaning as it is written down: what is wrong goes, an address met before goes, To before Cc before Bcc. */
function cleaned(...lists: readonly (readonly Yielded[])[]): { kept: string[][]; notes: string[] } {
  const seen = new Set<string>()
  const notes: string[] = []
  const kept = lists.map((yielded) =>
    yielded
      .flatMap((y) => y.gives)
      .filter(({ address, wrong }) => {
        const key = String(address).trim().toLowerCase()
        const why = wrong ?? (seen.has(key) ? 'same address' : null)
        if (why) notes.push(why)
        else seen.add(key)
        return why === null
      })
      .map(({ address }) => String(address).trim()),
  )
  return { kept, notes }
}

const addresses = (mailboxes: readonly { address: string }[]) => mailboxes.map((m) => m.address)

test('together: one message to whoever is left, with a note for everybody who is not', () => {
  fc.assert(
    fc.property(list, list, list, (to, cc, bcc) => {
      const { messages, notes } = planned(to, cc, bcc, 'together')
      const expected = cleaned(to, cc, bcc)
      const nobody = expected.kept[0]?.length === 0
      expect(notes.map((n) => n.code)).toEqual([...expected.notes, ...(nobody ? ['nobody'] : [])])
      expect(messages.map((m) => [m.to, m.cc, m.bcc].map(addresses))).toEqual(nobody ? [] : [expected.kept])
    }),
    { numRuns: 1_000 },
  )
})

test('one each: a message for every address left in To, copies with the first', () => {
  fc.assert(
    fc.property(list, list, list, (to, cc, bcc) => {
      const { messages } = planned(to, cc, bcc, 'each')
      const [kept = [], copies = [], hidden = []] = cleaned(to, cc, bcc).kept
      expect(messages.map((m) => [m.to, m.cc, m.bcc].map(addresses))).toEqual(kept.map((address, i) => [[address], i === 0 ? copies : [], i === 0 ? hidden : []]))
    }),
    { numRuns: 500 },
  )
})

test('every note names the entry it is about', () => {
  fc.assert(
    fc.property(list, list, (to, cc) => {
      const { notes } = planned(to, cc, [], 'together')
      for (const { code, path } of notes) {
        if (code === 'nobody') expect(path).toBe('/actions/0')
        else {
          const [, part, index] = /^\/actions\/0\/(to|cc)\/(\d+)$/.exec(path) ?? []
          const entry = (part === 'to' ? to : cc)[Number(index)]
          expect(code === 'same address' || entry?.gives.some((g) => g.wrong === code)).toBe(true)
        }
      }
    }),
    { numRuns: 300 },
  )
})
