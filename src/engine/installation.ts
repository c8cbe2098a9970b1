import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import type { ShapeProblem } from '@/core/document/schema'
import type { Installation } from '@/core/words/read/installation'
import { type WordsIn, wordsIn } from '@/core/words/read/words-in'
import { isBriefText } from '@/core/words/text/nodes'
import { readBriefText } from '@/core/words/text/read'
import { listsOfTemplate } from '@/core/workflow/template-lists'
import { listLibrary } from '@/store/files'
import { listChannels } from '@/store/notices'
import { listGroups, listNamed, listTeams } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { listSenders, listTemplates } from '@/store/templates'

/** Everything of an installation that has a name which workflows use, as it is kept. */
export async function readNamed(pool: Pool) {
  const [schema, people, groups, teams, channels, senders, files, templates, organisation] = await Promise.all([
    readSchema(pool),
    listNamed(pool),
    listGroups(pool),
    listTeams(pool),
    listChannels(pool),
    listSenders(pool),
    listLibrary(pool),
    listTemplates(pool),
    readSettings(pool),
  ])
  return {
    schema,
    people,
    files,
    organisation,
    teams,
    groups: groups.map((g) => g.name),
    channels: channels.map((c) => c.name),
    senders: senders.map((s) => s.name),
    templates: templates.map(({ name, table, body }) => ({ name, table, lists: listsOfTemplate({ table, body }, schema) })),
  }
}

/** What the installation calls its things, for words to be read with; `me` is the e-mail of whoever types. */
export async function readInstallation(pool: Pool, me: string | null): Promise<Installation> {
  const { people, files, ...named } = await readNamed(pool)
  return { ...named, names: new Map(people.map((p) => [p.email.toLowerCase(), p.name])), files: files.map((f) => f.name), me }
}

/** Words as the API reads them: a sentence, or a brief written out. */
export function readAnyWords(text: string, installation: Installation, table: string | null): Omit<WordsIn, 'completions'> {
  if (isBriefText(text)) return readBriefText(text, installation)
  const { completions: _, ...read } = wordsIn(text, installation, table === null ? null : (installation.schema.get(table) ?? null))
  return read
}

/** A brief written out, as a workflow that is imported; what was not understood is said as problems, each with the line that it stands in. */
export function importBriefText(text: string, installation: Installation): { workflow: Workflow } | { problems: ShapeProblem[] } {
  const { workflow, unread } = readBriefText(text, installation)
  if (workflow && unread.length === 0) return { workflow }
  return { problems: unread.map(({ from, to, message }) => ({ path: '', message: `Line ${text.slice(0, from).split('\n').length}, “${text.slice(from, to)}”: ${message}` })) }
}
