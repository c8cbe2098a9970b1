import type { Change } from '@/core/changes/change'
import { changePath, fieldOf, type Organisation, type TableDef } from '@/core/values/tables'
import type { MessageRow } from '@/store/messages'
import type { NoticeRow } from '@/store/notice-log'
import type { RunRow } from '@/store/runs'
import { goalsOf, NoticeMark } from '../notices/words'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { StateMark } from '../parts/state-mark'
import { Time } from '../parts/time'
import { pastChangesPage } from '../propose/address'
import { shownValue } from './values'

interface Props {
  readonly table: TableDef
  readonly changes: readonly Change[]
  readonly messages: readonly MessageRow[]
  readonly notices: readonly NoticeRow[]
  readonly runs: readonly RunRow[]
  readonly titles: Readonly<Record<string, string>>
  readonly organisation: Organisation
  /** Whether the reader may make workflows from past changes. */
  readonly mayMark: boolean
}

const VERBS = { created: 'added it', changed: 'changed', deleted: 'deleted it' } as const

/** A record's changes and the mail and notices about it, in one column, the newest first. */
export function Timeline({ table, changes, messages, notices, runs, titles, organisation, mayMark }: Props) {
  const time = (at: Date) => <Time at={at} locale={organisation.locale} zone={organisation.zone} />
  return (
    <>
      <MarginTitle note="Who changed what, and the mail and notices that came of it">Timeline</MarginTitle>
      <ol>
        {changes.map((change) => (
          <li key={change.id} className="border-rule border-t py-2">
            <p className="flex justify-between gap-3">
              <span>
                <b className="font-semibold">{change.by.name}</b> {VERBS[change.kind]}
              </span>
              <span className="whitespace-nowrap text-muted text-sm">
                {time(change.at)}
                <Link href={changePath(change.id, table.name)} className="pl-3" aria-label={`Why this change of ${change.by.name} fired or did not`}>
                  why
                </Link>
                {mayMark && (
                  <Link
                    href={pastChangesPage({ table: table.name, yes: change.id })}
                    className="pl-3"
                    title="This should have told somebody"
                    aria-label={`This change of ${change.by.name} should have told somebody`}
                  >
                    should tell
                  </Link>
                )}
              </span>
            </p>
            {change.kind === 'changed' && <ChangedFields change={change} table={table} titles={titles} organisation={organisation} />}
            {runs
              .filter((r) => r.change === change.id)
              .map((run) => (
                <p key={run.id} className="mt-1 border-spruce border-l-2 pl-3 text-sm">
                  <span className="text-muted">fired </span>
                  <Link href={`/runs/${run.id}`}>{run.workflow}</Link> {run.state !== 'done' && <StateMark state={run.state} />}
                  {mayMark && (
                    <Link
                      href={pastChangesPage({ within: run.workflow, no: change.id })}
                      className="ml-3 text-muted underline underline-offset-2"
                      title="This should not have told anybody"
                    >
                      not this one
                    </Link>
                  )}
                  {messages
                    .filter((m) => m.run === run.id)
                    .map((m) => (
                      <span key={m.id} className="block truncate">
                        <StateMark state={m.state} /> <span className="text-muted">to {m.recipients.map((r) => r.name ?? r.address).join(', ')}</span>
                      </span>
                    ))}
                  {notices
                    .filter((n) => n.run === run.id)
                    .map((n) => (
                      <span key={`notice ${n.id}`} className="block truncate">
                        <NoticeMark notice={n} /> <span className="text-muted">notice to {goalsOf(n).join(', ')}</span>
                      </span>
                    ))}
                </p>
              ))}
            {messages
              .filter((m) => m.change === change.id && !runs.some((r) => r.id === m.run))
              .map((m) => (
                <p key={m.id} className="mt-1 truncate border-spruce border-l-2 pl-3 text-sm">
                  <StateMark state={m.state} /> <span className="text-muted">a workflow of others wrote to you: {m.subject}</span>
                </p>
              ))}
          </li>
        ))}
      </ol>
    </>
  )
}

function ChangedFields({ change, table, titles, organisation }: { change: Change; table: TableDef; titles: Readonly<Record<string, string>>; organisation: Organisation }) {
  return (
    <ul className="text-sm">
      {change.changed.map((name) => {
        const field = fieldOf(table, name)
        if (!field) return null
        const value = (image: Change['before']) => shownValue(field, image?.[name], titles, organisation) || 'blank'
        return (
          <li key={name}>
            <span className="text-muted">
              {field.label.toLowerCase()} {value(change.before)} →
            </span>{' '}
            <span className="text-rope">{value(change.after)}</span>
          </li>
        )
      })}
    </ul>
  )
}
