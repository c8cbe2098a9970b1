import { pool } from '@/app/_server/environment'
import { requireGoodPassword } from '@/app/_server/passwords'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { refuseOtherSites, route } from '@/app/_server/route'
import { callerOf, noteFailure, startSession } from '@/app/_server/signing-in'
import { openAccountKey } from '@/engine/account/link'
import { readAccountLink, tellOfChange, useAccountLink } from '@/store/access/account-links'
import { signingSecret } from '@/store/access/secrets'
import { setPassword } from '@/store/access/sessions'
import { onBehalfOf, transaction } from '@/store/database'

/** Takes up an invitation or a link for a new password: the password is set, every other session ends, and one is signed in. */
export const POST = route('POST /api/session/link', async ({ request, json }) => {
  refuseOtherSites(request)
  const { key, password } = objectOf(await json())
  const gone = () => new Problem(410, 'Gone', 'This link counts no more: it was used, it ran out, or a newer one was sent. Ask for another.')
  const id = typeof key === 'string' ? openAccountKey(key, await signingSecret(pool(), 'account')) : null
  const link = id === null ? null : await readAccountLink(pool(), id)
  if (!link) {
    await noteFailure(request, '', 'link not taken')
    throw gone()
  }
  const chosen = await requireGoodPassword(password, link)
  const by = { kind: 'person' as const, person: link.person, name: link.name }
  const isUsed = await onBehalfOf({ by, caller: callerOf(request) }, () =>
    transaction(pool(), async (db) => {
      if (!(await useAccountLink(db, link))) return false
      await setPassword(db, link.person, chosen)
      if (link.purpose === 'reset') await tellOfChange(db, link.person)
      return true
    }),
  )
  if (!isUsed) throw gone()
  await startSession(request, { ...link, id: link.person }, 'link')
  return { name: link.name }
})
