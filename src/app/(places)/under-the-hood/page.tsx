import type { Metadata } from 'next'
import { Suspense } from 'react'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { examineHere } from '@/app/_server/findings'
import { readMoments } from '@/store/meters'
import { readSettings } from '@/store/settings'
import { readShards, SHARDS } from '@/store/shards'
import { Day } from '@/ui/hood/day'
import { Findings } from '@/ui/hood/findings'
import { Shards } from '@/ui/hood/shards'
import { MarginTitle, Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Under the hood' }

const HOURS = 24
const MINUTES = 10

/** How the installation works: its last day in pictures, and what is well and what is not. */
export default async function UnderTheHood() {
  await visitor('PAGE /under-the-hood')
  const now = Date.now()
  const [moments, settings, shards] = await Promise.all([readMoments(pool(), HOURS, MINUTES), readSettings(pool()), readShards(pool())])
  return (
    <Page
      margin={
        <Suspense fallback={<MarginTitle note="Looking at everything …">What the doctor says</MarginTitle>}>
          <DoctorSays />
        </Suspense>
      }
    >
      <Title>Under the hood</Title>
      <p className="text-muted">
        The last {HOURS} hours of all processes, gathered by {MINUTES} minutes. The same numbers are at <code className="font-mono text-sm">/metrics</code> for Prometheus.
      </p>
      <Day moments={moments.map((m) => ({ ...m, at: m.at.getTime() }))} from={now - HOURS * 3_600_000} to={now} minutes={MINUTES} zone={settings.zone} locale={settings.locale} />
      <Shards shards={shards} can={SHARDS} />
    </Page>
  )
}

/** What was looked at and found, which takes as long as a mail server that is away. */
async function DoctorSays() {
  const findings = await examineHere()
  const ill = findings.filter((f) => !f.ok).length
  return (
    <section>
      <MarginTitle note={ill === 0 ? 'Everything that was looked at is well.' : `${ill === 1 ? 'One thing is' : `${ill} things are`} not well.`}>What the doctor says</MarginTitle>
      <Findings findings={findings} />
    </section>
  )
}
