import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { shownPeople } from '@/app/_server/persons'
import { listWaysIn } from '@/store/access/account-links'
import { listGroups, listTeams } from '@/store/people'
import { readSettings } from '@/store/settings'
import { ButtonLink } from '@/ui/parts/button'
import { Page, Title } from '@/ui/parts/page'
import { sent } from '@/ui/parts/sent'
import { Groups } from '@/ui/people/groups'
import { People } from '@/ui/people/people'
import { Teams } from '@/ui/people/teams'

export const metadata: Metadata = { title: 'People' }

/** Who is here, and the groups that mail goes to. */
export default async function PeoplePage() {
  const actor = await visitor('PAGE /people')
  const [people, groups, teams, waysIn, { locale, zone }] = await Promise.all([shownPeople(), listGroups(pool()), listTeams(pool()), listWaysIn(pool()), readSettings(pool())])
  const listed = sent(people)
  return (
    <Page
      margin={
        <>
          <Groups groups={groups} people={listed} />
          <Teams teams={teams.map((name) => ({ name, active: people.filter((p) => p.active && p.team === name).length }))} />
        </>
      }
    >
      <Title
        beside={<span className="text-muted">{people.filter((p) => p.active).length} active</span>}
        actions={mayUse(actor.role, 'PAGE /people/mail') && <ButtonLink href="/people/mail">Who gets what</ButtonLink>}
      >
        People
      </Title>
      <People people={listed} teams={teams} groups={groups} waysIn={waysIn} locale={locale} zone={zone} />
    </Page>
  )
}
