import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { dayFrom } from '@/core/values/dates'
import { isPersonNamed } from '@/core/workflow/uses'
import { listPersonMail } from '@/store/limits/person-mail'
import { groupsOfPerson, personByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import { listWorkflows } from '@/store/workflows'
import { ButtonLink } from '@/ui/parts/button'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'
import { PersonsMail } from '@/ui/people/persons-mail'

export const metadata: Metadata = { title: 'What they get' }

const DAYS = 30

/** What somebody gets, from where, and what would halve it; also of an address outside. */
export default async function PersonPage({ params }: { params: Promise<{ email: string }> }) {
  const actor = await visitor('PAGE /people/[email]')
  const address = decodeURIComponent((await params).email)
  const now = new Date()
  const [person, settings, workflows] = await Promise.all([personByEmail(pool(), address), readSettings(pool()), listWorkflows(pool())])
  const [mail, groups] = await Promise.all([
    listPersonMail(pool(), address, new Date(now.getTime() - DAYS * 86_400_000), settings.zone),
    person ? groupsOfPerson(pool(), person.id) : [],
  ])
  const uses = workflows.filter((w) => isPersonNamed(w, address)).map((w) => w.name)
  const lessenable = workflows.filter((w) => w.live && w.keeper === null && w.live.cue.kind !== 'by hand').map((w) => w.name)
  return (
    <Page>
      <p className="mb-1 text-sm">
        <Link href="/people/mail">Who gets what</Link>
      </p>
      <Title
        beside={<span className="text-muted">{person ? [address, person.team].filter(Boolean).join(', ') : 'outside'}</span>}
        actions={person && mayUse(actor.role, 'PAGE /people') && <ButtonLink href={`/people#${encodeURIComponent(person.email)}`}>Change</ButtonLink>}
      >
        {person?.name ?? address}
      </Title>
      {groups.length > 0 && <p className="text-muted">In {new Intl.ListFormat('en-GB').format(groups)}.</p>}
      {uses.length > 0 && (
        <p className="text-muted">
          Named by{' '}
          {uses.map((name, i) => (
            <span key={name}>
              {i > 0 && ', '}
              <Link href={`/workflows/${encodeURIComponent(name)}`}>{name}</Link>
            </span>
          ))}
          .
        </p>
      )}
      <PersonsMail address={address} mail={mail} days={Array.from({ length: DAYS }, (_, i) => dayFrom(now, i - DAYS + 1, settings.zone))} lessenable={lessenable} />
    </Page>
  )
}
