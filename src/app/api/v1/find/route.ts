import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { keeperFor } from '@/app/_server/workflows'
import { findAnything } from '@/store/find'

/** Finds workflows, records and people by the words in their names, for the palette. */
export const GET = route('GET /api/v1/find', async ({ actor, query }) => {
  const text = (query.get('text') ?? '').trim().slice(0, 80)
  return { found: text.length < 2 ? [] : await findAnything(pool(), text, keeperFor(actor)) }
})
