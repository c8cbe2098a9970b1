import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { agentWords } from '@/app/_server/agents'
import { pool } from '@/app/_server/environment'
import { ownMail } from '@/app/_server/own-mail'
import { must } from '@/core/must'
import { hasPassword, listSessions } from '@/store/access/sessions'
import { readSettings } from '@/store/settings'
import { readTold } from '@/store/trouble'
import { OwnMail } from '@/ui/account/own-mail'
import { OwnPassword } from '@/ui/account/own-password'
import { Sessions } from '@/ui/account/sessions'
import { Told } from '@/ui/account/told'
import { Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Your account' }

/** Who one is here: what mail comes to one, one's password, and where one is signed in. */
export default async function AccountPage() {
  const actor = await visitor('PAGE /account')
  const person = must(actor.person)
  const [sessions, isThere, { locale, zone, idleMinutes }, mail, told] = await Promise.all([
    listSessions(pool(), person),
    hasPassword(pool(), person),
    readSettings(pool()),
    ownMail(must(actor.email)),
    readTold(pool(), person),
  ])
  const listed = sessions.map(({ agent, ...s }) => ({ ...s, agent: agentWords(agent), isThis: s.id === actor.session }))
  return (
    <Page>
      <Title beside={<span className="text-muted">{actor.role}</span>}>{actor.name}</Title>
      <p className="text-muted">You sign in as {actor.email}.</p>
      <OwnMail {...mail} />
      {mayUse(actor.role, 'PUT /api/v1/account/told') && <Told told={told.person} />}
      <Sessions sessions={listed} locale={locale} zone={zone} idleMinutes={idleMinutes} />
      <OwnPassword isThere={isThere} email={actor.email ?? ''} />
    </Page>
  )
}
