import { mayUse } from '@/app/_server/access'
import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { askedWhy } from '@/core/changes/asked-why'
import { findAnything, findWhy } from '@/store/find'

/** Finds workflows, records, templates, people, runs and mail by words, for the palette; a question that begins with “why” finds the changes it may be about. */
export const GET = route('GET /api/v1/find', async ({ actor, query, keeper }) => {
  const text = (query.get('text') ?? '').trim().slice(0, 200)
  const about = askedWhy(text)
  if (about !== null) return { found: await findWhy(pool(), about) }
  if (text.length < 2) return { found: [] }
  const may = (page: Parameters<typeof mayUse>[1]) => mayUse(actor.role, page)
  const finder = { keeper, templates: may('PAGE /templates/[name]'), people: may('PAGE /people'), messages: may('PAGE /messages') }
  return { found: await findAnything(pool(), text.slice(0, 80), finder) }
})
