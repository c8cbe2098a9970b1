import { createTransport } from 'nodemailer'
import PostalMime from 'postal-mime'
import { changeOccasion } from '@/core/cues/occasion'
import type { Workflow } from '@/core/document/document'
import { parseTemplate } from '@/core/message/liquid'
import { compileMessage, createEngines, renderMessage } from '@/core/message/render'
import { review } from '@/core/review/review'
import { compileWorkflow, evaluateOrNeed, type Plan } from '@/core/workflow/evaluate'
import { outcomeOf } from '@/engine/delivery/outcome'
import { composition } from '@/engine/delivery/send'
import { CLAIMS, newClaimWorkflow } from '../support/claims'
import { claimChange, loadedWorld, ORGANISATION, SURROUNDINGS } from '../support/core'
import { claimedMessage } from '../support/delivery'

const engines = createEngines(ORGANISATION)
const email = (parts: object = {}) => ({ name: 'tell', do: 'email' as const, to: [{ field: 'owner' }], subject: 'S', body: 'B', ...parts })

function planned(parts: Partial<Workflow>, image: object = { owner: 2 }, more: readonly [string, unknown][] = []): Plan {
  const outcome = evaluateOrNeed(compileWorkflow(newClaimWorkflow(parts), SURROUNDINGS), changeOccasion(claimChange('created', null, image as never)), loadedWorld(more), false)
  if (!('plan' in outcome)) throw new Error(JSON.stringify(outcome))
  return outcome.plan
}

const message = (parts: object = {}) => claimedMessage(parts)

// RFC 5322 section 2.1.1: no line of a message is longer than 998 characters.
test.each([
  ['a subject of one word', { subject: 'x'.repeat(1_200) }],
  ['a subject of one word that is not ASCII', { subject: 'ö'.repeat(1_200) }],
  ['a recipient’s name of one word', { recipients: [{ position: 1, part: 'to', address: 'a@x.example', name: 'x'.repeat(1_200), state: 'open' }] }],
  ['a sender’s name of one word', { sender: { address: 'alerts@office.example', name: 'y"'.repeat(600) } }],
  ['a body of one word', { body: 'x'.repeat(5_000), html: `<p>${'x'.repeat(5_000)}</p>` }],
])('%s passes no line of 998 characters', async (_, parts) => {
  const { message: composed } = await createTransport({ streamTransport: true, buffer: true }).sendMail(composition(message(parts)))
  const source = (composed as Buffer).toString('latin1')
  expect(Math.max(...source.split('\r\n').map((line) => line.length))).toBeLessThanOrEqual(998)
  const parsed = await PostalMime.parse(composed as Buffer)
  expect(parsed.subject).toBe(message(parts).subject)
})

test('ordinary text that looks like a filter is none', () => {
  expect(renderMessage(compileMessage({ subject: 'cooked | raw', body: 'Fish: cooked | raw', format: 'plain' }, engines), {}).text).toBe('Fish: cooked | raw')
  expect(parseTemplate(engines.html, '{% if true %}{{ claim.note | upcase | raw }}{% endif %}')).toEqual({ problem: { message: expect.stringContaining('“raw” does not exist') } })
})

test('the record’s page is a link where it stands as text, and stays an address elsewhere', () => {
  const { html, text } = renderMessage(
    compileMessage({ subject: 'S', body: '<p>See {{ link }} or <a href="{{link}}">this</a> or <a href="{{ link }}">{{ link }}</a></p>', format: 'rich' }, engines),
    { link: 'http://r.example/1?a=1&b=2' },
  )
  const url = 'http://r.example/1?a=1&amp;b=2'
  expect(html).toBe(`<p>See <a href="${url}">${url}</a> or <a href="${url}">this</a> or <a href="${url}">${url}</a></p>`)
  expect(text).toContain('See http://r.example/1?a=1&b=2 or this')
})

test('a server’s reply with what cannot be kept is kept as text', () => {
  const outcome = outcomeOf(
    message(),
    1,
    { reached: true, reply: 'a\u0000\ud800b', recipients: [{ position: 1, result: 'refused', reply: `x\u0000${'y'.repeat(9_000)}` }] },
    new Date(0),
    new Date(0),
    0,
  )
  expect([outcome.reply.length, outcome.reply.includes('\u0000'), outcome.recipients[0]?.reply.isWellFormed()]).toEqual([1_999, false, true])
})

const claims = [1, 2, 3].map((id) => ({ id, number: `CL-${id}`, contact_email: [null, 'a@x.example', 'b@x.example'][id - 1], owner: 1 }))
const others: [string, unknown][] = [
  [`list ${JSON.stringify(['claims', undefined, undefined, undefined, undefined, undefined])}`, claims],
  ['suppression a@x.example', false],
  ['suppression b@x.example', false],
]
const bringIn = [{ name: 'others', list: 'claims' }]

test('a list among the recipients means one mail each, unless it says otherwise; together asks', () => {
  const to = [{ list: 'others', field: 'contact_email' }]
  expect(planned({ bringIn, actions: [email({ to })] }, {}, others).messages.map((m) => m.to.map((t) => t.address))).toEqual([['a@x.example'], ['b@x.example']])
  expect(planned({ bringIn, actions: [email({ to, delivery: 'together' })] }, {}, others).messages.map((m) => m.to.length)).toEqual([2])
  const setting = { ...SURROUNDINGS, groups: new Set<string>(), teams: new Set<string>() } as never
  const codes = (delivery?: 'together') => review(newClaimWorkflow({ bringIn, actions: [email({ to, delivery })] }), setting).map((f) => [f.code, f.path])
  expect([codes(), codes('together')]).toEqual([[], [['seen by all', '/actions/0/delivery']]])
  expect(CLAIMS.name).toBe('claims')
})

test('whoever is left out is named with the entry, and nobody is said where somebody got it', () => {
  const each = { name: 'all', do: 'each' as const, of: 'others', as: 'one', actions: [email({ to: [{ field: 'one.contact_email' }], about: 'one', body: '{{ one.number }}' })] }
  const plan = planned({ bringIn, actions: [each] }, {}, others)
  expect(plan.messages.map((m) => m.to[0]?.address)).toEqual(['a@x.example', 'b@x.example'])
  expect(plan.notes.map((n) => [n.code, n.message])).toEqual([['left out', 'CL-1: no address']])
  const list = planned({ bringIn, actions: [email({ to: [{ list: 'others', field: 'contact_email' }] })] }, {}, others)
  expect(list.notes.map((n) => n.message)).toEqual(['CL-1: no address'])
  const none = planned({ bringIn, actions: [{ ...each, where: { field: 'number', op: 'is', value: 'CL-1' } }] }, {}, others)
  expect(none.notes.map((n) => n.code)).toEqual(['left out', 'nobody'])
})

test('who would get the very same mail twice in one firing gets it once', () => {
  const twice = planned({ actions: [email(), { ...email(), name: 'again', cc: [{ address: 'someone@example.org' }] }, { ...email({ subject: 'Other' }), name: 'other' }] })
  expect(twice.messages.map((m) => [m.subject, m.to.map((t) => t.address)])).toEqual([
    ['S', ['rafi@office.example']],
    ['Other', ['rafi@office.example']],
  ])
  expect(twice.notes.map((n) => n.code)).toEqual(['same mail'])
})

test('a priority that is said overrides the template’s', () => {
  const templates = new Map([['T', { name: 'T', table: 'claims', subject: 'S', body: 'B', format: 'plain' as const, priority: 'high' as const }]])
  const priority = (said?: 'normal') => {
    const outcome = evaluateOrNeed(
      compileWorkflow(newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], template: 'T', priority: said }] }), { ...SURROUNDINGS, templates }),
      changeOccasion(claimChange('created', null, { owner: 2 })),
      loadedWorld(),
      false,
    )
    return 'plan' in outcome ? outcome.plan.messages[0]?.priority : outcome
  }
  expect([priority(), priority('normal')]).toEqual(['high', 'normal'])
})

test('a change that changes nothing fires nothing and says so', () => {
  const workflow = newClaimWorkflow({ cue: { kind: 'record', on: ['changed'] } })
  const outcome = evaluateOrNeed(compileWorkflow(workflow, SURROUNDINGS), changeOccasion(claimChange('changed', { amount: 5 }, { amount: 5 })), loadedWorld(), true)
  expect(outcome).toMatchObject({ plan: { fires: false, why: 'Nothing changes: every field of the claim stays as it is.' } })
})
