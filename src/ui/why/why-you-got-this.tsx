import type { ReactNode } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import type { Recipient } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { must } from '@/core/must'
import { fieldOf, type Organisation, type TableDef, targetOf } from '@/core/values/tables'
import type { Line } from '@/core/words/brief'
import { whyYou } from '@/core/words/spoken-to'
import type { Origin } from '@/store/messages'
import { Time } from '../parts/time'
import { SetOff } from '../runs/set-off'
import { ClauseOutcome } from '../runs/trace'
import { WhatChanged } from '../runs/what-changed'

interface Props {
  readonly origin: Origin
  /** Whether values of the record are shown: not where somebody outside got the mail, and after some days only to whoever signs in. */
  readonly values: 'shown' | 'not for outside' | 'sign in'
  readonly lines: readonly Line[]
  readonly table: TableDef
  readonly wording: Wording
  readonly titles: ReadonlyMap<string, string>
  readonly organisation: Organisation
}

/** Why somebody got a mail, in words: what happened, which conditions held, which entry named them, and when it was sent. */
export function WhyYouGotThis({ origin, values, lines, table, wording, titles, organisation }: Props) {
  const isShown = values === 'shown'
  const cue = lines.find((line) => line.kind === 'cue')
  const clauses = lines.filter((line) => line.kind === 'clause' && origin.trace.clauses.some((c) => c.path === line.path))
  const moment = (at: Date) => <Time at={at} locale={organisation.locale} zone={organisation.zone} />
  return (
    <Sheet organisation={organisation.name}>
      <h1 className="font-serif text-2xl leading-tight">Why you got “{origin.subject}”</h1>
      <Part name="What sent it">
        The workflow <b>{origin.workflow}</b> of {organisation.name} {origin.trace.occasion ? 'goes' : 'waits until'} {cue?.words}.
      </Part>
      <Part name="What happened">
        {isShown ? (
          <>
            <p className="mb-2">
              {table.singular.replace(/^./, (c) => c.toUpperCase()).replaceAll('_', ' ')} <b>{origin.title}</b>
            </p>
            {origin.trace.occasion && <SetOff occasion={origin.trace.occasion} document={origin.document} titles={titles} organisation={organisation} />}
            {origin.trace.change && <WhatChanged change={origin.trace.change} table={table} titles={titles} organisation={organisation} />}
          </>
        ) : (
          <>
            That happened {moment(origin.changed_at)}, and everything else the workflow asks for held.
            {values === 'sign in' && (
              <>
                {' '}
                This mail is of some age: <a href="/sign-in">sign in</a> to see the values.
              </>
            )}
          </>
        )}
      </Part>
      {isShown && clauses.length > 0 && (
        <Part name="What held">
          <ul>
            {clauses.map((line) => {
              const clause = origin.trace.clauses.find((c) => c.path === line.path)
              return (
                <li key={line.path} className="border-rule border-t py-1">
                  {line.words}
                  {clause && <ClauseOutcome clause={clause} table={table} setting={wording} titles={titles} />}
                </li>
              )
            })}
          </ul>
        </Part>
      )}
      <Part name="Why you">{reasonOf(origin, table, wording, titles, isShown)}</Part>
      <Part name="When">
        Written {moment(origin.created_at)}
        {origin.finished_at && origin.state === 'sent' && <>, accepted by the mail server {moment(origin.finished_at)}</>}.
      </Part>
      {origin.stop_link && (
        <Part name="No more of these">
          <a href={origin.stop_link}>Say stop</a>, and this workflow writes to you no more.
        </Part>
      )}
    </Sheet>
  )
}

/** Why its reader got it, said to them; nobody in Bcc is betrayed, and to people outside nothing of the record is said. */
function reasonOf(origin: Origin, table: TableDef, wording: Wording, titles: ReadonlyMap<string, string>, isShown: boolean): string {
  const paths = origin.recipients.filter((r) => r.part !== 'bcc').map((r) => r.path)
  if (paths.includes(null)) return 'You armed a trial of this workflow, so its mail came to you alone.'
  const entries = [...new Set(paths)].flatMap((path) => valueAt<Recipient>(origin.document, must(path)) ?? [])
  if (entries.length === 0) return 'An entry of the workflow named your address.'
  const image = origin.trace.change?.after ?? origin.trace.change?.before ?? null
  const linked = (name: string) => {
    const field = fieldOf(table, name)
    return isShown && field && image ? (titles.get(`${targetOf(field)} ${image[name]}`) ?? null) : null
  }
  return whyYou(entries, { workflow: origin.document, table, wording, title: isShown ? origin.title : null, linked }, origin.trace.change?.kind ?? null)
}

function Part({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section className="mt-5 border-rule border-t pt-2">
      <h2 className="role-word mb-1 text-muted">{name}</h2>
      <div className="font-serif text-lg leading-relaxed">{children}</div>
    </section>
  )
}

export function Sheet({ organisation, children }: { organisation: string; children: ReactNode }) {
  return (
    <main className="mx-auto max-w-[640px] px-7 pt-[8vh] pb-16">
      <p className="mb-6 text-muted">
        <span className="font-serif text-spruce text-xl">Rappel</span> for {organisation}
      </p>
      {children}
    </main>
  )
}

/** What is said when the link is not one of ours, or what it led to was deleted. */
export function NoOrigin({ organisation }: { organisation: string }) {
  return (
    <Sheet organisation={organisation}>
      <h1 className="font-serif text-2xl">This link leads nowhere</h1>
      <p className="mt-3 font-serif text-lg text-muted">
        It was changed on the way, or what sent the mail has been deleted since. Open it straight from the mail, whole; else ask whoever wrote to you.
      </p>
    </Sheet>
  )
}
