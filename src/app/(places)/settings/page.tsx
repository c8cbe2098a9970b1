import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { mailGoesTo } from '@/app/_server/mail-server'
import { backUrl } from '@/app/_server/openid'
import { readOpenId } from '@/store/access/openid'
import { readSecretAges } from '@/store/access/secrets'
import { listTokens } from '@/store/access/tokens'
import { listLibrary } from '@/store/files'
import { listHooks } from '@/store/hooks'
import { listStops } from '@/store/limits/own-say'
import { readMailState } from '@/store/mail-state'
import { listChannels } from '@/store/notices'
import { listPeople } from '@/store/people'
import { readSettings } from '@/store/settings'
import { listSuppressions } from '@/store/suppressions'
import { readSchema } from '@/store/tables'
import { listSenders } from '@/store/templates'
import { listTold, readTroubleChannel } from '@/store/trouble'
import { listZones } from '@/store/zones'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'
import { Personal } from '@/ui/people/personal'
import { ChangeLogSettings } from '@/ui/settings/change-log'
import { Channels } from '@/ui/settings/channels'
import { CommonLimits } from '@/ui/settings/common-limits'
import { DigestSettings } from '@/ui/settings/digests'
import { FileLimits } from '@/ui/settings/files'
import { Library } from '@/ui/settings/library'
import { MailServer } from '@/ui/settings/mail-server'
import { MostMail } from '@/ui/settings/most-mail'
import { OrganisationSettings } from '@/ui/settings/organisation'
import { Secrets } from '@/ui/settings/secrets'
import { Senders } from '@/ui/settings/senders'
import { SigningIn } from '@/ui/settings/signing-in'
import { Stops } from '@/ui/settings/stops'
import { Suppressions } from '@/ui/settings/suppressions'
import { Tokens } from '@/ui/settings/tokens'
import { ToldPeople } from '@/ui/settings/told-people'
import { WaysOfWriting } from '@/ui/settings/ways-of-writing'
import { Webhooks } from '@/ui/settings/webhooks'

export const metadata: Metadata = { title: 'Settings' }

const SUPPRESSIONS = 100

export default async function SettingsPage() {
  const me = await visitor('PAGE /settings')
  const db = pool()
  const [settings, senders, channels, files, tokens, people, suppressions, stops, openid, ages, goesTo, hooks, schema, mail, zones, told, toldChannel] = await Promise.all([
    readSettings(db),
    listSenders(db),
    listChannels(db),
    listLibrary(db),
    listTokens(db),
    listPeople(db),
    listSuppressions(db, SUPPRESSIONS + 1),
    listStops(db, SUPPRESSIONS + 1),
    readOpenId(db),
    readSecretAges(db),
    mailGoesTo(db),
    listHooks(db),
    readSchema(db),
    readMailState(db),
    listZones(db),
    listTold(db),
    readTroubleChannel(db),
  ])
  return (
    <Page margin={<WaysOfWriting settings={settings} now={new Date().toISOString()} />}>
      <Title
        actions={
          <>
            <Link href="/under-the-hood">Under the hood</Link>
            <Link href="/settings/api">API</Link>
            <Link href="/settings/audit">Audit log</Link>
          </>
        }
      >
        Settings
      </Title>
      <OrganisationSettings settings={settings} zones={zones} />
      <MailServer goesTo={goesTo} me={me.email ?? ''} domain={settings.sender.address.split('@').at(-1) ?? ''} />
      <ToldPeople names={told.map((t) => t.name)} channel={toldChannel} channels={channels.map((c) => c.name)} />
      <Senders senders={senders} />
      <Channels channels={channels} />
      <Webhooks
        hooks={hooks}
        tables={[...schema.values()].filter((t) => t.name !== 'person').map((t) => ({ name: t.name, label: t.label }))}
        locale={settings.locale}
        zone={settings.zone}
      />
      <Suppressions suppressions={suppressions.slice(0, SUPPRESSIONS)} more={suppressions.length > SUPPRESSIONS} locale={settings.locale} zone={settings.zone} />
      <Stops stops={stops.slice(0, SUPPRESSIONS)} more={stops.length > SUPPRESSIONS} locale={settings.locale} zone={settings.zone} />
      <Library files={files} />
      <SigningIn idleMinutes={settings.idleMinutes} whyDays={settings.whyDays} openid={openid} backUrl={backUrl()} />
      <FileLimits fileSize={settings.fileSize} filesTotal={settings.filesTotal} mostBytes={mail.mostBytes} />
      <MostMail mailPerDay={settings.mailPerDay} mailPerHour={settings.mailPerHour} />
      <CommonLimits quietHours={settings.quietHours ?? null} digestAt={settings.digestAt ?? null} />
      <DigestSettings words={settings.digestWords} />
      <ChangeLogSettings keepMonths={settings.keepMonths} keepRunMonths={settings.keepRunMonths} keepTextMonths={settings.keepTextMonths} />
      <Personal />
      <Tokens tokens={tokens} people={people.filter((p) => p.active).map((p) => ({ email: p.email, name: p.name }))} locale={settings.locale} zone={settings.zone} />
      <Secrets ages={ages} locale={settings.locale} zone={settings.zone} />
    </Page>
  )
}
