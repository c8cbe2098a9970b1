import { examineHere } from '@/app/_server/findings'
import { route } from '@/app/_server/route'

/** What is well and what is not, in sentences. */
export const GET = route('GET /api/v1/doctor', async () => ({ findings: await examineHere() }))
