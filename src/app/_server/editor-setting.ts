import { listLibrary } from '@/store/files'
import { listChannels } from '@/store/notices'
import { listGroups, listPeople, listTeams } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { listSenders, listTemplates } from '@/store/templates'
import type { EditorSetting } from '@/ui/editor/setting'
import { pool } from './environment'

/** What the brief's editor needs to know; `onlyTo` is the one address that the workflow may write to, where it is a member's own, `me` that of whoever edits. */
export async function editorSetting(onlyTo: string | null, me: string | null): Promise<EditorSetting> {
  const [schema, people, groups, teams, channels, senders, files, templates, { name, locale, zone, currency }] = await Promise.all([
    readSchema(pool()),
    listPeople(pool()),
    listGroups(pool()),
    listTeams(pool()),
    listChannels(pool()),
    listSenders(pool()),
    listLibrary(pool()),
    listTemplates(pool()),
    readSettings(pool()),
  ])
  return {
    tables: [...schema.values()],
    people: people.map(({ id, name, email, active }) => ({ id, name, email, active })),
    groups: groups.map((g) => g.name),
    teams,
    channels: channels.map((c) => c.name),
    senders: senders.map((s) => s.name),
    files: files.map(({ name, id }) => ({ name, id })),
    templates: templates.map(({ name, table }) => ({ name, table })),
    onlyTo,
    me,
    organisation: { name, locale, zone, currency },
  }
}
