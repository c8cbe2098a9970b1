'use client'

import { max, sum } from 'd3'
import { useState } from 'react'
import type { PersonMail } from '@/store/limits/person-mail'
import { WalkedDays } from '../charts/walked-days'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Empty } from '../parts/page'
import { counted } from '../today/summary'
import { WhatWouldHalveIt } from './offers'

const CELL = 9
const HEIGHT = 24

interface Props {
  readonly address: string
  readonly mail: readonly PersonMail[]
  /** The days looked back over, oldest first (ISO 8601). */
  readonly days: readonly string[]
  /** Workflows whose mail can be worked out with limits. */
  readonly lessenable: readonly string[]
}

/** What somebody got of each workflow, day by day, and on asking the limit that would halve it. */
export function PersonsMail({ address, mail, days, lessenable }: Props) {
  const [open, setOpen] = useState<string | null>(mail.find((m) => m.mails > 1 && lessenable.includes(m.workflow))?.workflow ?? null)
  if (mail.length === 0) return <Empty>No workflow wrote to {address} in these days.</Empty>
  const mails = sum(mail, (m) => m.mails)
  const again = sum(mail, (m) => m.again)
  const most = max(mail, (m) => max(m.days, (d) => d.mails)) ?? 1
  return (
    <>
      <p className="mt-4 max-w-[60ch] font-serif text-xl leading-snug">
        {counted(mails, 'mail')} of {counted(mail.length, 'workflow')} in {days.length} days
        {again > 0 ? `; ${again.toLocaleString('en-GB')} of them about a record that the one before was about, within an hour.` : '.'}
      </p>
      <ul aria-label="Mail by workflow" className="mt-4 max-w-[980px] border-rule border-b">
        {mail.map((m) => (
          <li key={m.workflow} className={`border-rule border-t ${open === m.workflow ? 'bg-sheet' : ''}`}>
            <div className="grid grid-cols-[minmax(0,1fr)_4rem_auto_9rem] items-center gap-x-5 px-1 py-1">
              <Link href={`/workflows/${encodeURIComponent(m.workflow)}`} className="truncate font-serif text-ink text-lg" title={m.workflow}>
                {m.workflow}
              </Link>
              <Link
                href={`/messages?workflow=${encodeURIComponent(m.workflow)}&text=${encodeURIComponent(address)}`}
                className="figures text-right font-semibold"
                aria-label={`${counted(m.mails, 'mail')} of ${m.workflow}`}
              >
                {m.mails.toLocaleString('en-GB')}
              </Link>
              <Days mail={m} days={days} most={most} address={address} />
              <span className="text-right">
                {lessenable.includes(m.workflow) && m.mails > 1 && (
                  <Button aria-expanded={open === m.workflow} onClick={() => setOpen(open === m.workflow ? null : m.workflow)}>
                    {open === m.workflow ? 'Fold' : 'What would halve it'}
                  </Button>
                )}
              </span>
            </div>
            {open === m.workflow && <WhatWouldHalveIt address={address} workflow={m.workflow} again={m.again} />}
          </li>
        ))}
      </ul>
    </>
  )
}

/** A bar for each day's mail, all workflows on one scale; a day leads to its runs that wrote to them. */
function Days({ mail, days, most, address }: { mail: PersonMail; days: readonly string[]; most: number; address: string }) {
  const byDay = new Map(mail.days.map((d) => [d.day, d.mails]))
  const busiest = mail.days.reduce((a, b) => (b.mails > a.mails ? b : a))
  const bars = days.map((day) => {
    const mails = byDay.get(day) ?? 0
    return {
      day,
      value: mails,
      words: mails === 0 ? 'no mail' : counted(mails, 'mail'),
      ...(mails > 0 ? { href: `/runs?${new URLSearchParams({ workflow: mail.workflow, day, to: address })}` } : {}),
    }
  })
  return (
    <div style={{ width: days.length * CELL }} className="hidden sm:block">
      <WalkedDays
        label={`${mail.workflow} by day: ${counted(mail.days.length, 'day')} with mail, most on ${busiest.day}: ${busiest.mails}`}
        bars={bars}
        most={most}
        width={days.length * CELL}
        height={HEIGHT}
      />
    </div>
  )
}
