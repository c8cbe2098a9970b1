import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { tellPerson } from '@/store/trouble'

/** Asks to be told by mail when something is wrong, or no more. */
export const PUT = route('PUT /api/v1/account/told', async ({ actor, json }) => {
  const { told } = objectOf(await json())
  if (actor.person === null) throw new Problem(422, 'Not valid', 'Mail comes to people; a token that acts as nobody is none.')
  if (typeof told !== 'boolean') throw new Problem(422, 'Not valid', 'Give told: true to be told by mail what is wrong, false to be told no more.')
  await tellPerson(pool(), actor.person, told)
  return { told }
})
