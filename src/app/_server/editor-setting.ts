import { listGroups, listPeople, listTeams } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import type { EditorSetting } from '@/ui/editor/setting'
import { pool } from './environment'

/** What the brief's editor needs to know. */
export async function editorSetting(): Promise<EditorSetting> {
  const [schema, people, groups, teams, { name, locale, zone, currency }] = await Promise.all([
    readSchema(pool()),
    listPeople(pool()),
    listGroups(pool()),
    listTeams(pool()),
    readSettings(pool()),
  ])
  return {
    tables: [...schema.values()],
    people: people.map(({ id, name, email, active }) => ({ id, name, email, active })),
    groups: groups.map((g) => g.name),
    teams,
    organisation: { name, locale, zone, currency },
  }
}
