'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import { changePath } from '@/core/values/tables'
import type { MessageRow } from '@/store/messages'
import { call } from '../api'
import { useAddress } from '../parts/address'
import { AnyChoice, named } from '../parts/any-choice'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Empty } from '../parts/page'
import { StateMark } from '../parts/state-mark'
import { ClockTime, Time } from '../parts/time'
import { pastChangesPage } from '../propose/address'
import { counted, span } from '../today/summary'

const STATES = named(['queued', 'held', 'sending', 'sent', 'gathered', 'failed', 'cancelled'])

interface Props {
  readonly messages: readonly MessageRow[]
  readonly next: number | null
  readonly workflows: readonly string[]
  readonly asked: { readonly text?: string; readonly state?: string; readonly workflow?: string }
  readonly locale: string
  readonly zone: string
}

const HELD_WORDS = { quiet: 'held through quiet hours', digest: 'held for a digest', cap: 'held past the most of a day' }

/** Milliseconds from the save to the mail server's acceptance; null where it was not accepted. */
const latency = (m: MessageRow) => (m.state === 'sent' && m.finished_at ? new Date(m.finished_at).getTime() - new Date(m.changed_at).getTime() : null)

/** All mail, searched and filtered; what failed is tried again or sent elsewhere, what waits is called off, and any of it is taken along as a mailbox file. */
export function MessageLog({ messages, next, workflows, asked, locale, zone }: Props) {
  const router = useRouter()
  const { text, setText, go, older } = useAddress('/messages', asked)
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set())
  const [elsewhere, setElsewhere] = useState('')
  const picked = messages.filter((m) => chosen.has(m.id))
  const act = async (of: readonly MessageRow[], verb: 'retry' | 'cancel', done: string, body?: object) => {
    const refused: string[] = []
    for (const m of of) await call('POST', `/api/v1/messages/${m.id}/${verb}`, body).catch((error: Error) => refused.push(`${m.subject}: ${error.message}`))
    if (of.length > refused.length) toast(`${counted(of.length - refused.length, 'message')} ${done}.`)
    for (const sentence of refused) toast.error(sentence)
    setChosen(new Set())
    setElsewhere('')
    router.refresh()
  }
  const failed = picked.filter((m) => m.state === 'failed')
  const waiting = picked.filter((m) => m.state === 'queued' || m.state === 'held')
  return (
    <>
      <div className="mt-3 grid max-w-3xl grid-cols-[minmax(0,1.6fr)_minmax(0,1fr)_minmax(0,1.2fr)] gap-6">
        <input aria-label="Search" placeholder="Search by subject or address" className="blank-line" value={text} onChange={(e) => setText(e.target.value)} />
        <AnyChoice label="State" any="in any state" options={STATES} value={asked.state} onChange={(state) => go({ state })} />
        <AnyChoice label="Workflow" any="of any workflow" options={named(workflows)} value={asked.workflow} onChange={(workflow) => go({ workflow })} />
      </div>
      {picked.length > 0 && (
        <div className="mt-3 flex flex-wrap items-baseline gap-6 bg-rope-wash px-3 py-1.5">
          <span>{counted(picked.length, 'message')} chosen</span>
          {failed.length > 0 && <Button onClick={() => act(failed, 'retry', 'queued again')}>Try the {failed.length} failed again</Button>}
          {failed.length > 0 && (
            <form
              className="flex items-baseline gap-3"
              onSubmit={(e) => {
                e.preventDefault()
                void act(failed, 'retry', `sent to ${elsewhere}`, { to: elsewhere })
              }}
            >
              <input
                aria-label="Another address"
                type="email"
                required
                placeholder="or to another address"
                className="blank-line w-56"
                value={elsewhere}
                onChange={(e) => setElsewhere(e.target.value)}
              />
              <Button type="submit">Send there</Button>
            </form>
          )}
          {waiting.length > 0 && (
            <Button kind="alarm" onClick={() => act(waiting, 'cancel', 'called off')}>
              Call the {waiting.length} waiting off
            </Button>
          )}
          <a href={`/api/v1/messages/mbox?ids=${picked.map((m) => m.id).join(',')}`}>Take them along (mbox)</a>
          <Button onClick={() => setChosen(new Set())}>Leave them</Button>
        </div>
      )}
      {messages.length === 0 && <Empty>No mail fits. Search for less, or look in any state and workflow.</Empty>}
      {messages.length > 0 && (
        <table aria-label="Messages" className="mt-3 w-full table-fixed border-rule border-b text-left">
          <thead className="text-muted text-xs">
            <tr>
              <th scope="col" className="w-7 py-1 font-normal">
                <input
                  type="checkbox"
                  aria-label="Choose all"
                  className="accent-spruce"
                  checked={picked.length === messages.length}
                  onChange={(e) => setChosen(new Set(e.target.checked ? messages.map((m) => m.id) : []))}
                />
              </th>
              <th scope="col" className="w-24 font-normal">
                State
              </th>
              <th scope="col" className="font-normal">
                Subject
              </th>
              <th scope="col" className="w-[24%] font-normal">
                To
              </th>
              <th scope="col" className="w-40 font-normal max-lg:hidden">
                Workflow
              </th>
              <th scope="col" className="w-20 text-right font-normal">
                Took
              </th>
              <th scope="col" className="w-28 text-right font-normal">
                When
              </th>
              <th scope="col" className="w-24 font-normal">
                <span className="sr-only">Why, and source</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {messages.map((m) => {
              const took = latency(m)
              return (
                <tr key={m.id} className="border-rule border-t align-baseline hover:bg-sheet">
                  <td className="py-1.5">
                    <input
                      type="checkbox"
                      aria-label={`Choose ${m.subject}`}
                      className="accent-spruce"
                      checked={chosen.has(m.id)}
                      onChange={(e) => setChosen(new Set(e.target.checked ? [...chosen, m.id] : [...chosen].filter((id) => id !== m.id)))}
                    />
                  </td>
                  <td>
                    <StateMark state={m.state} />
                  </td>
                  <td className="truncate pr-4">
                    <span className="flex items-baseline gap-3">
                      {m.run ? (
                        <Link href={`/runs/${m.run}`} className="truncate">
                          {m.subject}
                        </Link>
                      ) : (
                        <span className="truncate">{m.subject}</span>
                      )}
                      {m.workflow && m.change && (
                        <Link
                          href={pastChangesPage({ within: m.workflow, no: m.change })}
                          className="shrink-0 text-muted text-sm underline underline-offset-2"
                          aria-label={`Not this one: ${m.subject}`}
                        >
                          not this one
                        </Link>
                      )}
                    </span>
                    {m.state === 'held' && (
                      <span className="block truncate text-muted text-sm">
                        {HELD_WORDS[m.held_for ?? 'quiet']}
                        {m.held_until && (
                          <>
                            , until <ClockTime at={m.held_until} locale={locale} zone={zone} />
                          </>
                        )}
                      </span>
                    )}
                    {m.state !== 'sent' && m.last_reply && <span className="block truncate text-muted text-sm">“{m.last_reply}”</span>}
                  </td>
                  <td className="truncate pr-4" title={m.recipients.map((r) => r.address).join(', ')}>
                    {m.recipients.map((r) => r.name || r.address).join(', ')}
                  </td>
                  <td className="truncate pr-4 text-muted max-lg:hidden">{m.workflow}</td>
                  <td className="figures text-right text-muted text-sm">
                    {took === null ? '' : span(took)}
                    {m.attempt > 1 && <span className="block">{m.attempt} attempts</span>}
                  </td>
                  <td className="text-right text-muted text-sm">
                    <Time at={m.created_at} locale={locale} zone={zone} />
                  </td>
                  <td className="whitespace-nowrap pl-3 text-sm">
                    {m.change && (
                      <Link href={changePath(m.change, m.table)} aria-label={`Why ${m.subject} was sent`} className="mr-3">
                        why
                      </Link>
                    )}
                    <a href={`/api/v1/messages/${m.id}.eml`} aria-label={`Source of ${m.subject}`}>
                      .eml
                    </a>
                  </td>
                </tr>
              )
            })}
          </tbody>
        </table>
      )}
      {next !== null && (
        <p className="py-3">
          <Link href={older(next)}>Older messages</Link>
        </p>
      )}
    </>
  )
}
