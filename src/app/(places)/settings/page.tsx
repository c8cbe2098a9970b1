import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { listLibrary } from '@/store/files'
import { listChannels } from '@/store/notices'
import { listPeople } from '@/store/people'
import { readSettings } from '@/store/settings'
import { listSuppressions } from '@/store/suppressions'
import { listSenders } from '@/store/templates'
import { listTokens } from '@/store/tokens'
import { Page, Title } from '@/ui/parts/page'
import { Channels } from '@/ui/settings/channels'
import { Library } from '@/ui/settings/library'
import { OrganisationSettings } from '@/ui/settings/organisation'
import { Senders } from '@/ui/settings/senders'
import { Suppressions } from '@/ui/settings/suppressions'
import { Tokens } from '@/ui/settings/tokens'
import { WaysOfWriting } from '@/ui/settings/ways-of-writing'

export const metadata: Metadata = { title: 'Settings' }

const SUPPRESSIONS = 100

export default async function SettingsPage() {
  await visitor('PAGE /settings')
  const db = pool()
  const [settings, senders, channels, files, tokens, people, suppressions] = await Promise.all([
    readSettings(db),
    listSenders(db),
    listChannels(db),
    listLibrary(db),
    listTokens(db),
    listPeople(db),
    listSuppressions(db, SUPPRESSIONS + 1),
  ])
  return (
    <Page margin={<WaysOfWriting settings={settings} now={new Date().toISOString()} />}>
      <Title>Settings</Title>
      <OrganisationSettings settings={settings} zones={Intl.supportedValuesOf('timeZone')} />
      <Senders senders={senders} />
      <Channels channels={channels} />
      <Suppressions suppressions={suppressions.slice(0, SUPPRESSIONS)} more={suppressions.length > SUPPRESSIONS} locale={settings.locale} zone={settings.zone} />
      <Library files={files} />
      <Tokens tokens={tokens} people={people.filter((p) => p.active).map((p) => ({ email: p.email, name: p.name }))} locale={settings.locale} zone={settings.zone} />
    </Page>
  )
}
