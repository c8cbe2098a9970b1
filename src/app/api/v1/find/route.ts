import { mayUse } from '@/app/_server/access'
import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { askedWhy } from '@/core/changes/asked-why'
import { findStarters } from '@/core/words/find-starters'
import { findAnything, findWhy } from '@/store/find'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'

const STARTERS_FOUND = 6

const starterPage = (table: string, starter: string) => `/workflows/new?${new URLSearchParams({ table, starter })}`

/** Finds workflows, records, templates, people, runs and mail by words, for the palette; a question that begins with “why” finds the changes it may be about. */
export const GET = route('GET /api/v1/find', async ({ actor, query, keeper }) => {
  const text = (query.get('text') ?? '').trim().slice(0, 200)
  const about = askedWhy(text)
  if (about !== null) return { found: await findWhy(pool(), about) }
  if (text.length < 2) return { found: [] }
  const may = (page: Parameters<typeof mayUse>[1]) => mayUse(actor.role, page)
  const finder = { keeper, templates: may('PAGE /templates/[name]'), people: may('PAGE /people'), messages: may('PAGE /messages') }
  const [found, schema, organisation] = await Promise.all([findAnything(pool(), text.slice(0, 80), finder), readSchema(pool()), readSettings(pool())])
  const starters = findStarters(text.slice(0, 80), { wording: { schema, organisation, names: new Map() }, mine: actor.role === 'member' ? actor.email : null }, STARTERS_FOUND)
  return { found: [...found, ...starters.map(({ table, starter, sentence }) => ({ kind: 'starter', title: sentence, href: starterPage(table, starter.key) }))] }
})
