import { ownMail } from '@/app/_server/own-mail'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'

/** What came to one of each workflow of late, and what it would be as digests where the workflow allows that. */
export const GET = route('GET /api/v1/account/mail', ({ actor }) => {
  if (!actor.email) throw new Problem(422, 'Not valid', 'Mail comes to people; a token is none.')
  return ownMail(actor.email)
})
