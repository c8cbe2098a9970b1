import { CLAIMS, INES, newClaimWorkflow, RAFI } from '../../../../tests/support/claims'
import { SCHEMA } from '../../../../tests/support/core'
import type { Workflow } from '../../document/document'
import { type NamedThing, withAddresses, withThing } from './thing'

/** Everything by which a workflow can name people and things, each where it may. */
const whole: Workflow = newClaimWorkflow({
  cue: {
    kind: 'by hand',
    per: 'record',
    ask: [
      { name: 'whom', label: 'Whom', type: 'person', default: INES },
      { name: 'others', label: 'Others', type: 'addresses', default: `${INES}, x${INES}` },
    ],
    who: { teams: ['Claims'], groups: ['Desk'], roles: ['editor'] },
  },
  conditions: {
    all: [
      { field: 'owner', op: 'is', value: INES.toUpperCase() },
      {
        any: [
          { field: 'owner.manager', op: 'is one of', value: [RAFI, INES] },
          { field: 'owner.email', op: 'is not', value: INES },
        ],
      },
      { field: 'contact_email', op: 'is', value: INES },
      { field: 'owner.team', op: 'is', value: 'Claims' },
      { field: 'note', op: 'contains', value: 'Claims' },
    ],
  },
  bringIn: [{ name: 'theirs', list: 'claims.owner', of: 'record.owner', where: { field: 'owner', op: 'is', value: INES } }],
  actions: [
    {
      name: 'mail',
      do: 'email',
      to: [{ address: INES }, { group: 'Desk' }, { team: 'Claims' }, { text: `${INES}; {{ claim.contact_email }}` }],
      cc: [{ field: 'owner' }],
      bcc: [{ group: 'Desk' }],
      ifNobody: [{ address: INES }],
      replyTo: { address: INES },
      from: { sender: 'Desk' },
      template: 'Desk',
    },
    { name: 'say', do: 'notice', channel: 'Desk', to: [{ team: 'Claims' }], text: `Desk and Claims and ${INES}` },
    { name: 'give', do: 'update', set: { owner: INES, contact_email: INES, note: 'Desk' } },
    { name: 'make', do: 'create', table: 'claims', set: { owner: ` ${INES} ` } },
    { name: 'do', do: 'task', subject: 'Claims', owner: INES },
    {
      name: 'each',
      do: 'each',
      of: 'theirs',
      as: 'one',
      where: { field: 'owner', op: 'is not', value: INES },
      actions: [{ name: 'inner', do: 'notice', to: [{ address: INES }], text: '' }],
    },
  ],
  examples: [
    {
      name: 'One',
      change: { kind: 'changed', by: INES, before: { owner: 1 }, after: { owner: 1, contact_email: INES } },
      saw: { groups: { Desk: { people: [INES], addresses: [INES] }, Other: {} }, suppressed: [INES] },
      expect: { fires: true, to: [INES, RAFI], set: { owner: INES, note: 'Claims' } },
    },
    { name: 'Two', occasion: { kind: 'press', owner: INES, by: INES, records: [1] }, expect: { fires: false } },
  ],
})

const to = { person: 'ines.okafor@office.example', team: 'Refunds', group: 'Front desk', template: 'T2', sender: 'S2', channel: 'C2' }
const from = { person: INES, team: 'Claims', group: 'Desk', template: 'Desk', sender: 'Desk', channel: 'Desk' }
const renamed = (thing: NamedThing, workflow = whole) => withThing(workflow, { thing, from: from[thing], to: to[thing] }, SCHEMA)

/** What is another in a document, by where it stands, with what it is now. */
function differences(was: unknown, is: unknown, path = ''): string[] {
  if (was === is) return []
  if (typeof was !== 'object' || typeof is !== 'object' || was === null || is === null) return [`${path} ${JSON.stringify(is)}`]
  return [...new Set([...Object.keys(was), ...Object.keys(is)])].flatMap((key) => differences(Reflect.get(was, key), Reflect.get(is, key), `${path}/${key}`))
}

const NEW = JSON.stringify(to.person)
const EXPECTED: Record<NamedThing, string[]> = {
  person: [
    `/cue/ask/0/default ${NEW}`,
    `/cue/ask/1/default "${to.person}, x${INES}"`,
    `/conditions/all/0/value ${NEW}`,
    `/conditions/all/1/any/0/value/1 ${NEW}`,
    `/conditions/all/1/any/1/value ${NEW}`,
    `/bringIn/0/where/value ${NEW}`,
    `/actions/0/to/0/address ${NEW}`,
    `/actions/0/to/3/text "${to.person}; {{ claim.contact_email }}"`,
    `/actions/0/ifNobody/0/address ${NEW}`,
    `/actions/0/replyTo/address ${NEW}`,
    `/actions/2/set/owner ${NEW}`,
    `/actions/3/set/owner ${NEW}`,
    `/actions/4/owner ${NEW}`,
    `/actions/5/where/value ${NEW}`,
    `/actions/5/actions/0/to/0/address ${NEW}`,
    `/examples/0/change/by ${NEW}`,
    `/examples/0/saw/groups/Desk/people/0 ${NEW}`,
    `/examples/0/saw/groups/Desk/addresses/0 ${NEW}`,
    `/examples/0/saw/suppressed/0 ${NEW}`,
    `/examples/0/expect/to/0 ${NEW}`,
    `/examples/0/expect/set/owner ${NEW}`,
    `/examples/1/occasion/owner ${NEW}`,
    `/examples/1/occasion/by ${NEW}`,
  ],
  team: ['/cue/who/teams/0 "Refunds"', '/conditions/all/3/value "Refunds"', '/actions/0/to/2/team "Refunds"', '/actions/1/to/0/team "Refunds"'],
  group: [
    '/cue/who/groups/0 "Front desk"',
    '/actions/0/to/1/group "Front desk"',
    '/actions/0/bcc/0/group "Front desk"',
    '/examples/0/saw/groups/Desk undefined',
    '/examples/0/saw/groups/Front desk',
  ],
  template: ['/actions/0/template "T2"'],
  sender: ['/actions/0/from/sender "S2"'],
  channel: ['/actions/1/channel "C2"'],
}

test.each(['person', 'team', 'group', 'template', 'sender', 'channel'] as const)('a %s is called otherwise where it is named as one, and nowhere else', (thing) => {
  const found = differences(whole, renamed(thing)).map((line) => (line.startsWith('/examples/0/saw/groups/Front desk') ? '/examples/0/saw/groups/Front desk' : line))
  expect(found.sort()).toEqual([...EXPECTED[thing]].sort())
})

test('a document that does not name it stays as it is written, to the letter', () => {
  const other = withThing(whole, { thing: 'person', from: 'nobody@office.example', to: 'n@office.example' }, SCHEMA)
  expect(JSON.stringify(other)).toBe(JSON.stringify(whole))
})

test('whose records it goes by is a person or a team', () => {
  const whose = (of: { team: string } | { person: string }) => newClaimWorkflow({ cue: { kind: 'record', on: ['created'], whose: of } })
  expect(renamed('person', whose({ person: ' Ines@Office.example' })).cue).toMatchObject({ whose: { person: to.person } })
  expect(renamed('team', whose({ team: 'Claims' })).cue).toMatchObject({ whose: { team: 'Refunds' } })
  expect(renamed('team', whose({ team: CLAIMS.label.toLowerCase() })).cue).toMatchObject({ whose: { team: 'claims' } })
})

// Source: RFC 5322, section 3.4.1 (addr-spec: a local part of atoms or a quoted string, a domain of atoms).
test.each([
  ['ines@office.example', ['new@x.example']],
  ['INES@Office.example', ['new@x.example']],
  ['ines@office.example.org', ['ines@office.example.org']],
  ['a.ines@office.example', ['a.ines@office.example']],
  ['ines@office.examples', ['ines@office.examples']],
])('of a group’s addresses %s becomes %j', (address, is) => expect(withAddresses([address], { thing: 'person', from: INES, to: 'new@x.example' })).toEqual(is))
