import { GROUPS, PEOPLE } from '@/demo/people'
import { TABLES } from '@/demo/tables'
import { ORGANISATION, SURROUNDINGS } from '../../../tests/support/core'
import { review } from '../review/review'
import { PERSON_TABLE } from '../values/tables'
import { startersOf, valueStartersOf } from './starters'

const schema = new Map([['person', PERSON_TABLE] as const, ...TABLES.map((t) => [t.name, t] as const)])
const setting = {
  schema,
  people: new Map(PEOPLE.map((p, i) => [p.email, i])),
  organisation: ORGANISATION,
  groups: new Set(GROUPS.map((g) => g.name)),
  teams: new Set<string>(),
  engines: SURROUNDINGS.engines,
}

const drawing = { wording: { schema, organisation: ORGANISATION, names: new Map<string, string>() } }

test.each(TABLES.map((t) => [t.label, t] as const))('the starters of %s are finished but for the answer they ask for', (_, table) => {
  const starters = [...startersOf(table, drawing), ...valueStartersOf(table, drawing)]
  expect(new Set(starters.map((s) => s.key)).size).toBe(starters.length)
  expect(starters.length).toBeGreaterThanOrEqual(3)
  for (const { workflow, opened, key } of starters) {
    const errors = review(workflow, setting).map((f) => f.path)
    const asked = [opened, ...(workflow.actions[0] && 'to' in workflow.actions[0] && workflow.actions[0].to?.length === 0 ? ['/actions/0'] : [])]
    for (const path of errors) expect([key, path, asked.some((a) => path.startsWith(a))]).toEqual([key, path, true])
  }
})

test('a member’s starters write to themselves alone', () => {
  for (const { workflow } of startersOf(TABLES[0] as (typeof TABLES)[number], { ...drawing, mine: 'me@x.example' }))
    expect(workflow.actions).toMatchObject([{ to: [{ address: 'me@x.example' }] }])
})
