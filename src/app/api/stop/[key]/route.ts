import { now, pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { openStopKey } from '@/engine/why-key'
import { signingSecret } from '@/store/access/secrets'
import { transaction } from '@/store/database'
import { writeSay } from '@/store/limits/own-say'

/** What a mail program opens that knows no posting: the page that asks. Looking stops nothing, since programs look at links beforehand. */
export const GET = route('GET /api/stop/[key]', ({ params }) =>
  Promise.resolve(new Response(null, { status: 303, headers: { location: `/stop/${encodeURIComponent(params.key)}` } })),
)

/** Says stop for the one whom the key was made for: in one click from a mail program (RFC 8058), or from the page. Said twice it is the same. */
export const POST = route('POST /api/stop/[key]', async ({ params, request }) => {
  const asked = openStopKey(params.key, await signingSecret(pool(), 'why'))
  if (!asked) throw new Problem(404, 'Not found', 'This link leads nowhere: it was changed on the way, or replaced since. Open it straight from the mail, whole.')
  const at = await now()
  await transaction(pool(), (db) => writeSay(db, asked.workflow, asked.address, 'stop', at))
  // a browser comes back to the page, which says that it is done
  if (request.headers.get('accept')?.includes('text/html')) return new Response(null, { status: 303, headers: { location: `/stop/${encodeURIComponent(params.key)}` } })
  return { stopped: true }
})
