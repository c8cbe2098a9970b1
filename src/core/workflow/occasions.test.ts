import { newClaimWorkflow } from '../../../tests/support/claims'
import { claimChange, loadedWorld, ORGANISATION, SCHEMA, SURROUNDINGS } from '../../../tests/support/core'
import { mayPress } from '../cues/by-hand'
import { changeOccasion, type Occasion, pressOccasion, stayOccasion, tickOccasion } from '../cues/occasion'
import type { Workflow } from '../document/document'
import { needKey } from '../paths/lookups'
import { review } from '../review/review'
import { briefOf } from '../words/brief'
import { compileWorkflow, evaluateOrNeed } from './evaluate'

const AT = new Date('2026-03-03T07:00:00Z')
const image = { id: 7, number: 'CL-0007', status: 'In review', amount: 5, owner: 1, contact_email: 'p@x.example', note: null, due: null }
const by = { kind: 'person' as const, person: 2, name: 'Rafi Demir' }

function plan(parts: Partial<Workflow>, occasion: Occasion, more: readonly [string, unknown][] = []) {
  const outcome = evaluateOrNeed(compileWorkflow(newClaimWorkflow(parts), SURROUNDINGS), occasion, loadedWorld(more), true)
  if ('needs' in outcome) throw new Error(`It lacks ${JSON.stringify(outcome.needs)}.`)
  return outcome.plan
}

const tell = (subject: string, to: object = { field: 'owner' }): Workflow['actions'] => [{ name: 'tell', do: 'email', to: [to as never], subject, body: 'B', format: 'plain' }]
const stays = {
  cue: { kind: 'record', on: ['changed'], stays: 'P5D' },
  conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
} as const satisfies Partial<Workflow>
const stay = (as: object = {}) =>
  stayOccasion({
    key: 'stay 100',
    table: 'claims',
    record: 7,
    change: claimChange('changed', { status: 'New' }, { status: 'In review' }),
    since: AT,
    due: AT,
    by,
    image: { ...image, ...as },
  })

test('a stay fires where the conditions still hold, and speaks of the change that began it and since when', () => {
  const fired = plan({ ...stays, actions: tell('{{ change.by.name }} {{ stay.since | date: "%d.%m." }} {{ claim.status }} {{ before.status }}') } as Partial<Workflow>, stay())
  expect([fired.decision, fired.why, fired.messages[0]?.subject]).toEqual(['stayed', 'The conditions became true and held for 5 days.', 'Rafi Demir 03.03. In review New'])
  expect(plan({ ...stays, actions: tell('S') } as Partial<Workflow>, stay({ status: 'Settled' }))).toMatchObject({ fires: false, decision: 'fails' })
})

test('a tick per record fires where it fits, and with entering only where it did not the time before', () => {
  const tick = (fitted: boolean) => tickOccasion({ table: 'claims', per: 'record', at: AT, image, fitted })
  const parts = {
    cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' },
    conditions: stays.conditions,
    actions: tell('{{ claim.number }} at {{ tick.at | date: "%H:%M" }}'),
  } as Partial<Workflow>
  expect(plan(parts, tick(false))).toMatchObject({ fires: true, messages: [{ subject: 'CL-0007 at 07:00' }] })
  expect(plan(parts, tick(true))).toMatchObject({ fires: false, decision: 'fitted before' })
  expect(plan({ ...parts, firing: 'every' }, tick(true))).toMatchObject({ fires: true })
})

test('a tick per owner has the owner and their records; per all, all of them', () => {
  const where = (own: object[]) => ({ all: [...own, stays.conditions] })
  const list = (own: object[]) => [needKey({ kind: 'list', table: 'claims', where: where(own) as never }), [image, { ...image, id: 8, number: 'CL-0008' }]] as [string, unknown]
  const parts = (per: 'owner' | 'all', actions: Workflow['actions']) =>
    ({ cue: { kind: 'timetable', cron: '0 7 * * *', per }, conditions: stays.conditions, actions }) as Partial<Workflow>
  const owners = plan(
    parts('owner', tell('{{ owner.first_name }}: {{ records.size }}', { field: 'owner.email' })),
    tickOccasion({ table: 'claims', per: 'owner', at: AT, owner: 1 }),
    [list([{ field: 'owner', op: 'is', value: 1 }])],
  )
  expect(owners).toMatchObject({ fires: true, whose: 'Ines Okafor', messages: [{ subject: 'Ines: 2', to: [{ address: 'ines@office.example' }], about: null }] })
  const all = plan(parts('all', tell('{{ records.size }}', { address: 'someone@example.org' })), tickOccasion({ table: 'claims', per: 'all', at: AT }), [list([])])
  expect(all.messages[0]?.subject).toBe('2')
  const none = [needKey({ kind: 'list', table: 'claims', where: where([]) as never }), []] as [string, unknown]
  expect(plan(parts('all', tell('x', { address: 'someone@example.org' })), tickOccasion({ table: 'claims', per: 'all', at: AT }), [none])).toMatchObject({
    fires: false,
    decision: 'none fits',
  })
})

test('a press has the answers in paths, texts, conditions and recipients', () => {
  const asked = { note: 'Hello', extra: 'someone@example.org, desk@office.example', least: 3 }
  const parts: Partial<Workflow> = {
    cue: {
      kind: 'by hand',
      ask: [
        { name: 'note', label: 'Note', type: 'text' },
        { name: 'extra', label: 'Extra', type: 'addresses' },
        { name: 'least', label: 'At least', type: 'number' },
      ],
    },
    conditions: { all: [{ field: 'amount', op: 'at least', value: { field: 'asked.least' } }] },
    actions: tell('{{ asked.note }} from {{ change.by.name }}', { field: 'asked.extra' }),
  }
  const press = (least: number) => pressOccasion({ press: 'p', table: 'claims', per: 'record', at: AT, by, asked: { ...asked, least }, image })
  const fired = plan(parts, press(3))
  expect(fired.messages[0]).toMatchObject({ subject: 'Hello from Rafi Demir', to: [{ address: 'someone@example.org' }, { address: 'desk@office.example' }] })
  expect(fired.why).toBe('Rafi Demir ran it by hand.')
  expect(plan(parts, press(9))).toMatchObject({ fires: false, decision: 'fails' })
  expect(review(newClaimWorkflow(parts), SETTING).filter((f) => f.level === 'error')).toEqual([])
})

test('an occasion of another kind sets nothing off', () => {
  expect(plan({ cue: { kind: 'by hand' }, actions: tell('S') }, changeOccasion(claimChange('created', null, {})))).toMatchObject({ fires: false, decision: 'another occasion' })
  expect(plan({ actions: tell('S') }, tickOccasion({ table: 'claims', per: 'record', at: AT, image }))).toMatchObject({ fires: false, decision: 'another occasion' })
})

const SETTING = {
  schema: SCHEMA,
  people: SURROUNDINGS.people,
  organisation: ORGANISATION,
  groups: new Set(['Desk']),
  teams: new Set(['Claims']),
  engines: SURROUNDINGS.engines,
  templates: new Map([['T', { name: 'T', table: 'claims', subject: 'S', body: 'B', format: 'plain' as const, priority: 'normal' as const }]]),
}

test.each<[string, Partial<Workflow>, string, RegExp]>([
  [
    'a path without a record',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'all' }, actions: tell('S') },
    '/actions/0/to/0/field',
    /no one claim whose field could be meant/,
  ],
  [
    'a placeholder without a record',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'owner' }, actions: tell('{{ claim.number }}', { field: 'owner.email' }) },
    '/actions/0/subject',
    /Go through records/,
  ],
  [
    'a template without a record',
    { cue: { kind: 'by hand', per: 'all' }, actions: [{ name: 't', do: 'email', to: [{ group: 'Desk' }], template: 'T' }] },
    '/actions/0/template',
    /written for one claim/,
  ],
  [
    'an update without a record',
    { cue: { kind: 'by hand', per: 'none' }, actions: [{ name: 'u', do: 'update', set: { status: 'New' } }] },
    '/actions/0/target',
    /record to change/,
  ],
  [
    'whoever made the change, by the clock',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, actions: tell('S', { changedBy: true }) },
    '/actions/0/to/0',
    /goes by the clock/,
  ],
  ['the change in a text, by the clock', { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, actions: tell('{{ change.at }}') }, '/actions/0/subject', /tick\.at/],
  [
    'what it was before, by the clock',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, actions: tell('{{ before.status }}') },
    '/actions/0/subject',
    /not known here/,
  ],
  [
    'a change operator, by the clock',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' }, conditions: { all: [{ field: 'status', op: 'changed' }] }, actions: tell('S') },
    '/conditions',
    /as they stand/,
  ],
  [
    'a change operator in a branch, by hand',
    { cue: { kind: 'by hand' }, actions: [{ name: 'c', do: 'choose', branches: [{ when: { field: 'status', op: 'changed' }, actions: tell('S') }] }] },
    '/actions/0/branches/0/when/op',
    /nothing has changed/,
  ],
  [
    'a change operator that is to stay so',
    { cue: { kind: 'record', on: ['changed'], stays: 'P1D' }, conditions: { all: [{ field: 'amount', op: 'rose' }] }, actions: tell('S') },
    '/conditions',
    /holds at one moment only/,
  ],
  ['nothing to stay so', { cue: { kind: 'record', on: ['changed'], stays: 'P1D' }, actions: tell('S') }, '/cue/stays', /no conditions/],
  ['no length of time', { cue: { kind: 'record', on: ['changed'], stays: '5 days' }, conditions: stays.conditions as never, actions: tell('S') }, '/cue/stays', /ISO 8601/],
  [
    'every time, and staying so',
    { cue: { kind: 'record', on: ['changed'], stays: 'P1D' }, conditions: stays.conditions as never, firing: 'every', actions: tell('S') },
    '/firing',
    /once for each time/,
  ],
  ['a timetable that cannot be read', { cue: { kind: 'timetable', cron: '61 * * * *', per: 'all' }, actions: tell('S', { group: 'Desk' }) }, '/cue/cron', /field minute/],
  ['a timetable that never comes', { cue: { kind: 'timetable', cron: '0 0 30 2 *', per: 'all' }, actions: tell('S', { group: 'Desk' }) }, '/cue/cron', /never comes/],
  ['groups of a figure', { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'group' }, actions: tell('S') }, '/cue/over', /say which/],
  [
    'groups of a figure that is not there',
    { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'group', over: { figure: 'gone' } }, actions: tell('S') },
    '/cue/over/figure',
    /no figure "gone"/,
  ],
  ['a figure without groups to go through', { cue: { kind: 'by hand', per: 'record', over: { figure: 'gone' } }, actions: tell('S') }, '/cue/over', /only per group/],
  ['a question without words', { cue: { kind: 'by hand', ask: [{ name: '', label: '', type: 'text' }] }, actions: tell('S') }, '/cue/ask/0/label', /not written yet/],
  ['a choice of nothing', { cue: { kind: 'by hand', ask: [{ name: 'c', label: 'C', type: 'choice' }] }, actions: tell('S') }, '/cue/ask/0/choices', /nothing to choose/],
  [
    'a default that does not fit',
    { cue: { kind: 'by hand', ask: [{ name: 'n', label: 'N', type: 'number', default: 'x' }] }, actions: tell('S') },
    '/cue/ask/0/default',
    /takes a number/,
  ],
  ['a team that is not there', { cue: { kind: 'by hand', who: { teams: ['Gone'] } }, actions: tell('S') }, '/cue/who/teams/0', /no team "Gone"/],
  [
    'conditions without a record',
    { cue: { kind: 'by hand', per: 'none' }, conditions: stays.conditions as never, actions: tell('S', { group: 'Desk' }) },
    '/conditions',
    /Remove them/,
  ],
])('the review: %s', (_, parts, path, message) => {
  const errors = review(newClaimWorkflow(parts), SETTING).filter((f) => f.level === 'error')
  expect(errors.find((f) => f.path === path)?.message ?? errors).toMatch(message)
})

test.each<[Partial<Workflow>, string]>([
  [stays as never, 'a claim is changed, anyone’s, and stays so for 5 days'],
  [{ cue: { kind: 'timetable', cron: '0 7 * * 1-5', per: 'record' } }, 'on working days at 07:00, for each claim that fits'],
  [{ cue: { kind: 'timetable', cron: '0 7 * * 1', per: 'owner' } }, 'each Monday at 07:00, for each owner, their claims that fit'],
  [{ cue: { kind: 'timetable', cron: '0 7 1 * *', per: 'all', evenIfNone: true } }, 'on the 1st of each month at 07:00, all claims that fit, even if there are none'],
  [{ cue: { kind: 'by hand' } }, 'by hand, on a claim, by administrators or editors'],
  [
    { cue: { kind: 'by hand', per: 'all', who: { roles: ['member'], groups: ['Desk'] }, ask: [{ name: 'n', label: 'Note', type: 'text' }] } },
    'by hand, on a selection of claims, by members or the group Desk, asking note',
  ],
])('the brief: %j', (parts, words) => {
  expect(briefOf(newClaimWorkflow(parts), { schema: SCHEMA, organisation: ORGANISATION, names: new Map() })[0]?.words).toBe(words)
})

test('who may press: administrators always, else those who are named, else editors', () => {
  const cue = { kind: 'by hand' as const }
  const editor = { role: 'editor' as const, team: 'Claims', groups: ['Desk'] }
  const member = { ...editor, role: 'member' as const }
  expect([mayPress(cue, editor), mayPress(cue, member), mayPress(cue, { ...member, role: 'administrator' })]).toEqual([true, false, true])
  expect(mayPress({ ...cue, who: { teams: ['Claims'] } }, member)).toBe(true)
  expect(mayPress({ ...cue, who: { groups: ['Desk'] } }, member)).toBe(true)
  expect(mayPress({ ...cue, who: { roles: ['member'] } }, editor)).toBe(false)
})
