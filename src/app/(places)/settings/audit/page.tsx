import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { auditAsked } from '@/app/_server/audit'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { listAudit, listDeeds } from '@/store/access/audit'
import { readSettings } from '@/store/settings'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { type AuditAsked, AuditFilters, AuditList } from '@/ui/settings/audit'

export const metadata: Metadata = { title: 'Audit log' }

const PAGE = 100

/** Who changed people, roles, tokens, settings, workflows, templates and tables, and who signed in or failed to; searched in the address. */
export default async function AuditPage({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  await visitor('PAGE /settings/audit')
  const given = await searchParams
  const { text, what, from, to } = given
  const filters: AuditAsked = { text, what, from, to }
  const { locale, zone } = await readSettings(pool())
  // a stale or faulty address still opens the log
  const asked = await auditAsked(new URLSearchParams(Object.entries(given).filter((e): e is [string, string] => Boolean(e[1])))).catch((error: unknown) => {
    if (error instanceof Problem) return { zone }
    throw error
  })
  const [rows, deeds] = await Promise.all([listAudit(pool(), { ...asked, limit: PAGE }), listDeeds(pool())])
  const lines = rows.map(({ by, at, ...rest }) => ({ ...rest, by: by.name, kind: by.kind, at: at.toISOString() }))
  const last = rows[rows.length - 1]?.id
  const older = new URLSearchParams([...Object.entries(filters).filter((e): e is [string, string] => Boolean(e[1])), ['after', String(last)]])
  return (
    <Page>
      <Title actions={<Link href="/settings">Settings</Link>}>Audit log</Title>
      <p className="mb-4 text-muted">Who changed people, roles, tokens, settings, workflows, templates and tables, and who signed in. It is only added to.</p>
      <AuditFilters asked={filters} deeds={deeds} />
      {lines.length ? <AuditList lines={lines} locale={locale} zone={zone} /> : <Empty>Nothing like that was done. Search by less.</Empty>}
      {rows.length === PAGE && (
        <p className="mt-3">
          <Link href={`/settings/audit?${older}`}>Older</Link>
        </p>
      )}
    </Page>
  )
}
