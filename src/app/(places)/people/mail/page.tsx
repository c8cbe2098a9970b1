import type { Metadata } from 'next'
import { Suspense } from 'react'
import { visitor } from '@/app/_server/actor'
import { countedIn } from '@/app/_server/counting'
import { draftLoads } from '@/app/_server/draft-loads'
import { pool } from '@/app/_server/environment'
import { type GroupLoad, type Load, whoGetsWhat } from '@/core/limits/load'
import { listGroupLoads, listLoads } from '@/store/limits/load'
import { namesByEmail } from '@/store/people'
import { ButtonLink } from '@/ui/parts/button'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { WhoGetsWhat } from '@/ui/people/who-gets-what'

export const metadata: Metadata = { title: 'Who gets what' }

const DAYS = 30

const since = () => new Date(Date.now() - DAYS * 86_400_000)
const loadsOf = countedIn((db) => listLoads(db, since()))
const groupLoads = countedIn((db) => listGroupLoads(db, since()))

interface Known {
  readonly loads: readonly Load[]
  readonly groups: readonly GroupLoad[]
  readonly names: ReadonlyMap<string, string>
}

/** People and groups by workflows over the last days, by how much mail they got; with what drafts would have sent where that is asked for. */
export default async function WhoGetsWhatPage({ searchParams }: { searchParams: Promise<{ drafts?: string }> }) {
  await visitor('PAGE /people/mail')
  const [loads, groups, names] = await Promise.all([loadsOf.get(), groupLoads.get(), namesByEmail(pool())])
  const known: Known = { loads, groups, names }
  const withDrafts = (await searchParams).drafts !== undefined
  return (
    <Page>
      <p className="mb-1 text-sm">
        <Link href="/people">People</Link>
      </p>
      <Title
        beside={<span className="text-muted">over the last {DAYS} days</span>}
        actions={<ButtonLink href={withDrafts ? '/people/mail' : '/people/mail?drafts'}>{withDrafts ? 'Without drafts' : 'With drafts, rehearsed'}</ButtonLink>}
      >
        Who gets what
      </Title>
      {withDrafts ? (
        <Suspense fallback={<Matrix known={known} rehearsing />}>
          <WithDrafts known={known} />
        </Suspense>
      ) : (
        <Matrix known={known} />
      )}
    </Page>
  )
}

function Matrix({ known: { loads, groups, names }, rehearsing = false }: { known: Known; rehearsing?: boolean }) {
  const rows = whoGetsWhat(loads, names, groups)
  return (
    <>
      {rehearsing && (
        <p role="status" className="mt-2 text-muted text-sm">
          Rehearsing the drafts …
        </p>
      )}
      {rows.length === 0 ? <Empty>Nobody has got any mail in these days.</Empty> : <WhoGetsWhat rows={rows} drafts={[]} />}
    </>
  )
}

async function WithDrafts({ known: { loads, groups, names } }: { known: Known }) {
  const drafts = await draftLoads(DAYS)
  return (
    <>
      <WhoGetsWhat rows={whoGetsWhat([...loads, ...drafts.loads], names, groups)} drafts={drafts.names} />
      {drafts.names.length === 0 && <p className="text-muted text-sm">No draft that can be rehearsed would have sent any mail.</p>}
      {drafts.left.map(({ name, why }) => (
        <p key={name} className="text-muted text-sm">
          {name} was not rehearsed: {why}
        </p>
      ))}
    </>
  )
}
