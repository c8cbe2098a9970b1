import { apart, pool } from '@/app/_server/environment'
import { shownPeople } from '@/app/_server/persons'
import { route } from '@/app/_server/route'
import { addPasted } from '@/engine/people/add'

export const GET = route('GET /api/v1/people', async () => ({ people: await shownPeople() }))

/** Adds people from rows of a spreadsheet or a list of addresses, or changes those who are there by what the rows say; with `look` nothing is done. */
export const POST = route('POST /api/v1/people', async ({ body }) => {
  const { text, look } = await body()
  return addPasted(pool(), await apart().run('read people', { text }), look)
})
