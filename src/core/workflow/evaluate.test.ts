import { INES, newClaimWorkflow, RAFI } from '../../../tests/support/claims'
import { claimChange, loadedWorld, SURROUNDINGS } from '../../../tests/support/core'
import { changeOccasion } from '../cues/occasion'
import type { EmailAction, Workflow } from '../document/document'
import { compileWorkflow, evaluateOrNeed, type Plan } from './evaluate'

function plan(parts: Partial<Workflow>, change = claimChange('created', null, { owner: 1 })): Plan {
  const outcome = evaluateOrNeed(compileWorkflow(newClaimWorkflow(parts), SURROUNDINGS), changeOccasion(change), loadedWorld(), true)
  if ('needs' in outcome) throw new Error(`needs ${JSON.stringify(outcome.needs)}`)
  return outcome.plan
}

const email = (parts: Partial<EmailAction>): Partial<Workflow> => ({ actions: [{ name: 'tell', do: 'email', to: [], subject: 'S', body: 'B', ...parts }] })
const addresses = (p: Plan) => p.messages.map((m) => m.to.map((t) => t.address))
const changedCue: Partial<Workflow> = { cue: { kind: 'record', on: ['changed'] } }

test('a change of another kind does not fire', () => {
  expect(plan({}, claimChange('changed', { amount: 1 }, { amount: 2 }))).toMatchObject({ fires: false, why: 'The claim was changed; the cue waits for created.' })
})

test('as it becomes true: fires on the way in, not while it stays', () => {
  const conditions = { all: [{ field: 'amount', op: 'at least' as const, value: 100 }] }
  const on = (before: number, after: number) => plan({ ...changedCue, conditions }, claimChange('changed', { amount: before }, { amount: after, owner: 1 })).fires
  expect([on(50, 100), on(100, 120), on(120, 50), on(50, 200)]).toEqual([true, false, false, true])
})

test('every time it is true: fires at each change', () => {
  const conditions = { all: [{ field: 'amount', op: 'at least' as const, value: 100 }] }
  expect(plan({ ...changedCue, conditions, firing: 'every' }, claimChange('changed', { amount: 100 }, { amount: 120 })).fires).toBe(true)
})

test('a change operator fires each time, since nothing held without the change', () => {
  const conditions = { all: [{ field: 'owner', op: 'changed' as const }] }
  expect(plan({ ...changedCue, conditions }, claimChange('changed', { owner: 1 }, { owner: 2 })).fires).toBe(true)
})

test('fields on the cue narrow changes to those fields', () => {
  const cue = { kind: 'record' as const, on: ['changed' as const], fields: ['owner'] }
  expect(plan({ cue }, claimChange('changed', { amount: 1 }, { amount: 2 }))).toMatchObject({ fires: false, why: 'None of owner changed.' })
})

test('whose: a team’s, one person’s', () => {
  const whose = (w: { team: string } | { person: string }) => plan({ cue: { kind: 'record', on: ['created'], whose: w } }).fires
  expect([whose({ team: 'Claims' }), whose({ team: 'Quays' }), whose({ person: INES }), whose({ person: RAFI })]).toEqual([true, false, true, false])
})

test('deleted: conditions are tested on the image before', () => {
  const p = plan(
    { cue: { kind: 'record', on: ['deleted'] }, conditions: { all: [{ field: 'status', op: 'is', value: 'Settled' }] } },
    claimChange('deleted', { status: 'Settled', owner: 1 }, null),
  )
  expect([p.fires, ...addresses(p)]).toEqual([true, [INES]])
})

test('recipients are cleaned: blank, faulty, inactive, suppressed and repeated ones go with a note', () => {
  const p = plan(
    email({
      to: [{ field: 'owner' }, { field: 'contact_email' }, { group: 'Desk' }, { address: 'not an address' }, { address: 'bounced@example.org' }, { address: INES.toUpperCase() }],
      cc: [{ changedBy: true }],
      bcc: [{ field: 'owner' }],
    }),
  )
  expect(addresses(p)).toEqual([[INES, 'desk@office.example']])
  expect(p.messages[0]?.cc.map((m) => m.address)).toEqual([RAFI])
  expect(p.messages[0]?.bcc).toEqual([])
  expect(p.notes.map((n) => [n.code, n.path])).toEqual([
    ['blank address', '/actions/0/to/1'],
    ['same address', '/actions/0/to/2'],
    ['inactive person', '/actions/0/to/2'],
    ['same address', '/actions/0/to/2'],
    ['faulty address', '/actions/0/to/3'],
    ['suppressed address', '/actions/0/to/4'],
    ['same address', '/actions/0/to/5'],
    ['same address', '/actions/0/bcc/0'],
  ])
})

test('the manager, the previous owner and addresses in a text', () => {
  const change = claimChange('changed', { owner: 2 }, { owner: 1, note: 'someone@example.org; ines@office.example' })
  expect(addresses(plan({ ...changedCue, ...email({ to: [{ managerOf: 'before.owner' }, { field: 'before.owner' }, { text: '{{ claim.note }}' }] }) }, change))).toEqual([
    [INES, RAFI, 'someone@example.org'],
  ])
})

test('one each: a message per address, copies with the first only, the recipient’s own words', () => {
  const p = plan(email({ to: [{ field: 'owner' }, { address: 'someone@example.org' }], cc: [{ changedBy: true }], delivery: 'each', body: 'Dear {{ recipient.name }}' }))
  expect(addresses(p)).toEqual([[INES], ['someone@example.org']])
  expect(p.messages.map((m) => m.cc.length)).toEqual([1, 0])
  expect(p.messages.map((m) => m.text)).toEqual(['Dear Ines Okafor', 'Dear someone@example.org'])
})

test('nobody left: no message, a note, and the fallback where there is one', () => {
  const without = plan(email({ to: [{ field: 'contact_email' }] }))
  expect([without.fires, without.messages, without.notes.at(-1)?.code]).toEqual([true, [], 'nobody'])
  expect(addresses(plan(email({ to: [{ field: 'contact_email' }], ifNobody: [{ group: 'Desk' }] })))).toEqual([[INES, 'desk@office.example']])
})

test('from the owner: their name over the sender’s address, replies to them', () => {
  expect(plan(email({ to: [{ changedBy: true }], from: 'owner' })).messages[0]).toMatchObject({
    from: { name: 'Ines Okafor', address: 'alerts@office.example' },
    replyTo: { address: INES },
  })
})

test('from the owner where mail may be sent for their domain: themselves', () => {
  const compiled = compileWorkflow(newClaimWorkflow(email({ to: [{ changedBy: true }], from: 'owner' })), { ...SURROUNDINGS, sendingDomains: new Set(['office.example']) })
  const outcome = evaluateOrNeed(compiled, changeOccasion(claimChange('created', null, { owner: 1 })), loadedWorld(), false)
  expect('plan' in outcome && outcome.plan.messages[0]).toMatchObject({ from: { name: 'Ines Okafor', address: INES }, replyTo: null })
})

test('a text yields the addresses of an address list, with the names that stand there', () => {
  const p = plan(email({ to: [{ text: '"Demir, Rafi" <rafi@office.example>; someone@example.org' }], delivery: 'each', body: 'Dear {{ recipient.name }}' }))
  expect(p.messages.map((m) => [m.to[0]?.address, m.to[0]?.name, m.text])).toEqual([
    [RAFI, 'Demir, Rafi', 'Dear Demir, Rafi'],
    ['someone@example.org', null, 'Dear someone@example.org'],
  ])
})

test('a body with tags is HTML where nothing says so, one without is plain text, and what is said counts', () => {
  const html = (body: string, format?: 'rich' | 'plain') => plan(email({ to: [{ field: 'owner' }], body, ...(format ? { format } : {}) })).messages[0]?.html
  expect([html('<p>Dear <b>you</b></p>'), html('Dear <name>\nyou'), html('<p>x</p>', 'plain'), html('a\nb', 'rich')]).toEqual([
    '<p>Dear <b>you</b></p>',
    '<p>Dear &lt;name&gt;<br>\nyou</p>',
    '<p>&lt;p&gt;x&lt;/p&gt;</p>',
    'a\nb',
  ])
})

test('a text that grows without end fails in words, with the action’s name', () => {
  expect(() => plan(email({ to: [{ field: 'owner' }], body: '{% for i in (1..100000000) %}x{% endfor %}' }))).toThrow(
    'In “tell”: The text builds more than 20 MB of values. Make its loops shorter.',
  )
})

test('what is not loaded is asked for, and nothing is decided without it', () => {
  const compiled = compileWorkflow(newClaimWorkflow({ conditions: { all: [{ field: 'owner.manager.team', op: 'is', value: 'Claims' }] } }), SURROUNDINGS)
  const change = claimChange('created', null, { owner: 2 })
  expect(evaluateOrNeed(compiled, changeOccasion(change), new Map(), true)).toEqual({ needs: [{ kind: 'record', table: 'person', id: 2 }] })
})

test('messages can say what changed, by whom and when', () => {
  const body =
    '{{ change.kind }} by {{ change.by.first_name }} at {{ change.at }}: {% for f in change.fields %}{{ f.label }} {{ f.before | default: "blank" }} > {{ f.after }};{% endfor %}'
  const p = plan({ ...changedCue, ...email({ to: [{ changedBy: true }], body }) }, claimChange('changed', { amount: null, owner: 2 }, { amount: 1234.5, owner: 1 }))
  expect(p.messages[0]?.text).toBe('changed by Rafi at 3 March 2026 at 07:40: Amount blank > £1,234.50;Owner Rafi Demir > Ines Okafor;')
})
