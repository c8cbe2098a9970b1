import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { readBulk, setOffBy } from '@/store/bulk/log'
import { readSchema } from '@/store/tables'
import { bulkWords } from '@/ui/bulk/bulk-list'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'
import { TableHead } from '@/ui/parts/table-head'
import { Time } from '@/ui/parts/time'

export const metadata: Metadata = { title: 'Written at once' }

/** Many records written at once, and what they have set off so far. */
export default async function OneBulkPage({ params }: { params: Promise<{ id: string }> }) {
  await visitor('PAGE /bulk/[id]')
  const { id } = await params
  const row = /^\d{1,15}$/.test(id) ? await readBulk(pool(), Number(id)) : null
  if (!row) notFound()
  const [setOff, schema] = await Promise.all([setOffBy(pool(), row.id), readSchema(pool())])
  const label = schema.get(row.tbl)?.label ?? row.tbl
  return (
    <Page>
      <p className="mb-1 text-sm">
        <Link href="/bulk">Written at once</Link>
      </p>
      <Title beside={<span className="text-muted">{label}</span>}>{bulkWords(row)}</Title>
      <p className="mb-4 font-serif text-lg">
        {[
          row.created && `${row.created} added`,
          row.changed && `${row.changed} changed`,
          row.deleted && `${row.deleted} deleted`,
          row.unchanged && `${row.unchanged} as they were`,
          row.refused && `${row.refused} refused`,
        ]
          .filter((p) => typeof p === 'string')
          .join(', ') || 'Nothing was changed'}
        . By {row.by.name}, <Time at={row.at.toISOString()} />
        {row.quiet && ', quietly: workflows let it pass by'}.
      </p>
      {setOff.length === 0 ? (
        <p className="text-muted">{row.quiet ? 'Nothing was set off.' : 'Nothing was set off so far.'}</p>
      ) : (
        <table className="w-full max-w-3xl text-sm">
          <TableHead columns={['Workflow', ['runs', 'w-24 text-right'], ['failed', 'w-24 text-right'], ['mails', 'w-24 text-right'], ['notices', 'w-24 text-right']]} />
          <tbody>
            {setOff.map((w) => (
              <tr key={w.workflow} className="border-rule border-t">
                <td className="py-1">
                  <Link href={`/runs?workflow=${encodeURIComponent(w.workflow)}`}>{w.workflow}</Link>
                </td>
                <td className="figures text-right">{w.runs.toLocaleString('en-GB')}</td>
                <td className={`figures text-right ${w.failed ? 'text-alarm' : ''}`}>{w.failed.toLocaleString('en-GB')}</td>
                <td className="figures text-right">{w.messages.toLocaleString('en-GB')}</td>
                <td className="figures text-right">{w.notices.toLocaleString('en-GB')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Page>
  )
}
