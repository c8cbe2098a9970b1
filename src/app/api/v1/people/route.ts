import { shownPeople } from '@/app/_server/persons'
import { route } from '@/app/_server/route'

export const GET = route('GET /api/v1/people', async () => ({ people: await shownPeople() }))
