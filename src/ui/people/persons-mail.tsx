'use client'

import { max, scaleLinear, sum } from 'd3'
import { useState } from 'react'
import type { PersonMail } from '@/store/limits/person-mail'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Empty } from '../parts/page'
import { counted } from '../today/summary'
import { WhatWouldHalveIt } from './offers'

const CELL = 9
const HEIGHT = 22

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
              <Days mail={m} days={days} most={most} />
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

/** A bar for each day's mail, all workflows on one scale. */
function Days({ mail, days, most }: { mail: PersonMail; days: readonly string[]; most: number }) {
  const y = scaleLinear().domain([0, most]).range([0, HEIGHT])
  const byDay = new Map(mail.days.map((d) => [d.day, d.mails]))
  const busiest = mail.days.reduce((a, b) => (b.mails > a.mails ? b : a))
  return (
    <svg
      role="img"
      aria-label={`By day: ${counted(mail.days.length, 'day')} with mail, most on ${busiest.day}: ${busiest.mails}`}
      width={days.length * CELL}
      height={HEIGHT + 1}
      className="hidden sm:block"
    >
      <line x1={0} x2={days.length * CELL} y1={HEIGHT + 0.5} y2={HEIGHT + 0.5} stroke="var(--rule)" />
      {days.map((day, i) => {
        const mails = byDay.get(day) ?? 0
        if (mails === 0) return null
        return (
          <rect key={day} x={i * CELL + 1} width={CELL - 2} y={HEIGHT - Math.max(2, y(mails))} height={Math.max(2, y(mails))} className="fill-spruce">
            <title>
              {day}: {counted(mails, 'mail')}
            </title>
          </rect>
        )
      })}
    </svg>
  )
}
