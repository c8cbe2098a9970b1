import { postRoom } from '@/app/_server/post-room'
import { route } from '@/app/_server/route'

export const GET = route('GET /api/post-room/faults', () => postRoom.faults())

export const PUT = route('PUT /api/post-room/faults', async ({ json }) => postRoom.putFaults(await json()))
