import type { Metadata } from 'next'
import Link from 'next/link'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { whoGetsWhat } from '@/core/limits/load'
import { listLoads } from '@/store/limits/load'
import { listPeople } from '@/store/people'
import { Empty, Page, Title } from '@/ui/parts/page'
import { WhoGetsWhat } from '@/ui/people/who-gets-what'

export const metadata: Metadata = { title: 'Who gets what' }

const DAYS = 30

/** People by workflows over the last days, by how much mail they got. */
export default async function WhoGetsWhatPage() {
  await visitor('PAGE /people/mail')
  const [loads, people] = await Promise.all([listLoads(pool(), new Date(Date.now() - DAYS * 86_400_000)), listPeople(pool())])
  const rows = whoGetsWhat(loads, new Map(people.map((p) => [p.email.toLowerCase(), p.name])))
  return (
    <Page>
      <p className="text-sm">
        <Link href="/people">People</Link>
      </p>
      <Title beside={<span className="text-muted">over the last {DAYS} days</span>}>Who gets what</Title>
      {rows.length === 0 ? <Empty>Nobody has got any mail in these days.</Empty> : <WhoGetsWhat rows={rows} />}
    </Page>
  )
}
