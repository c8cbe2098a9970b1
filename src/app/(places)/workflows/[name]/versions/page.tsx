import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { visibleRow } from '@/app/_server/workflows'
import type { Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { differences } from '@/core/words/diff'
import { readWording } from '@/engine/program'
import { readSettings } from '@/store/settings'
import { listVersions } from '@/store/workflows'
import Link from '@/ui/parts/link'
import { Empty, MarginTitle, Page, Title } from '@/ui/parts/page'
import { Time } from '@/ui/parts/time'
import { Differences } from '@/ui/versions/differences'
import { GoBack } from '@/ui/versions/go-back'

type Props = { params: Promise<{ name: string }>; searchParams: Promise<{ from?: string; to?: string }> }

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `Versions of ${(await params).name}` }
}

/** The versions of a workflow, and in the margin what changed between any two of them, or to the draft. */
export default async function VersionsPage({ params, searchParams }: Props) {
  const actor = await visitor('PAGE /workflows/[name]/versions')
  const row = await visibleRow(actor, await nameOf(params))
  if (!row) notFound()
  const [versions, wording, settings, asked] = await Promise.all([listVersions(pool(), row.id), readWording(pool()), readSettings(pool()), searchParams])
  const documents = new Map<string, Workflow>([['draft', row.draft], ...versions.map((v) => [String(v.version), v.document] as const)])
  const to = asked.to && documents.has(asked.to) ? asked.to : 'draft'
  const from = asked.from && documents.has(asked.from) ? asked.from : String(versions.find((v) => String(v.version) !== to)?.version ?? 'draft')
  const here = `/workflows/${encodeURIComponent(row.name)}`
  const said = (key: string) => (key === 'draft' ? 'the draft' : `version ${key}`)
  return (
    <Page
      margin={
        versions.length > 0 && (
          <>
            <MarginTitle note="Line by line, in words">
              From {said(from)} to {said(to)}
            </MarginTitle>
            <Differences differences={differences(must(documents.get(from)), must(documents.get(to)), wording)} />
          </>
        )
      }
    >
      <p className="text-sm">
        <Link href={here}>{row.name}</Link>
      </p>
      <Title>Versions</Title>
      {versions.length === 0 && <Empty>It was never live, so there is only the draft. Each time it is sent live, a version is kept.</Empty>}
      <ol className="mt-4 border-rule border-b">
        {[
          { key: 'draft', at: row.draft_saved_at, by: row.draft_saved_by, overruled: null, notes: [] as readonly string[] },
          ...versions.map((v) => ({ key: String(v.version), at: v.live_at, by: v.by, overruled: v.overruled, notes: v.notes })),
        ].map(({ key, at, by, overruled, notes }, i, all) => (
          <li key={key} className={`flex flex-wrap items-baseline gap-x-6 border-rule border-t py-2.5 ${key === to ? 'bg-sheet' : ''}`}>
            <span className="w-32 font-serif text-lg">{key === 'draft' ? 'The draft' : `Version ${key}`}</span>
            <span className="text-muted text-sm">
              {key === 'draft' ? 'saved ' : 'live from '}
              <Time at={at} locale={settings.locale} zone={settings.zone} />
              {by && `, by ${by}`}
              {row.version !== null && key === String(row.version) && <b className="pl-3 font-semibold text-calm">{row.state} now</b>}
            </span>
            {overruled && <span className="order-last w-full pl-32 text-rope text-sm">Examples failed and were overruled: {overruled}</span>}
            {notes.length > 0 && <span className="order-last w-full pl-32 text-muted text-sm">{notes.join('; ')}</span>}
            <span className="ml-auto flex items-baseline gap-5 text-sm">
              {all[i + 1] && <Link href={`${here}/versions?from=${all[i + 1]?.key}&to=${key}`}>what changed</Link>}
              {key !== 'draft' && <Link href={`${here}/versions?from=${key}&to=draft`}>against the draft</Link>}
              {key !== 'draft' && <GoBack name={row.name} version={key} document={must(documents.get(key))} />}
            </span>
          </li>
        ))}
      </ol>
    </Page>
  )
}
