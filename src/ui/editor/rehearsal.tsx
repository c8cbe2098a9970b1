'use client'

import { useEffect, useState } from 'react'
import { WalkedDays } from '../charts/walked-days'
import { behindWords } from '../parts/behind'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import Link from '../parts/link'
import { TableHead } from '../parts/table-head'
import { Time } from '../parts/time'
import { counted, sentWords } from '../today/summary'
import { MailFrame } from './preview'
import type { PastChange, Rehearsing, ShownRehearsal } from './rehearsing'

/** A rehearsal that takes longer shows how far it is. */
const LONG_MS = 1_200
const SPANS = [7, 30, 90, 365].map((days) => ({ value: String(days), label: days === 365 ? 'the last year' : `the last ${days} days` }))

interface Props {
  readonly rehearsal: Rehearsing
  readonly table: string
  /** Whether the draft writes to groups, who is in which is not known of the past. */
  readonly usesGroups: boolean
  readonly onSample: (id: number) => void
}

/** What the draft would have done: how often, whom it would have written to and how much, where nobody was found, and against the live version. */
export function RehearsalPanel({ rehearsal, table, usesGroups, onSample }: Props) {
  const { answer, busy, fault, days, setDays } = rehearsal
  return (
    <section aria-label="Rehearsal" aria-busy={busy} className="mb-5 border-rule border-b pb-4">
      <div className="flex items-baseline justify-between">
        <h2 className="role-word text-spruce">Rehearsal</h2>
        <Choice label="Rehearsed over" quiet value={String(days)} options={SPANS} onChange={(v) => setDays(Number(v))} />
      </div>
      {fault && <p className="text-muted text-sm">{fault}</p>}
      <UnderWay rehearsal={rehearsal} />
      {answer && answer.changes === 0 && !answer.ticks && (
        <p className="text-muted">No change of {table.toLowerCase()} is recorded in these days, so there is nothing to rehearse on.</p>
      )}
      {answer && answer.changes > 0 && <Told rehearsal={answer} days={days} usesGroups={usesGroups} onSample={onSample} />}
    </section>
  )
}

/** How far a rehearsal is that takes its time, and how to call it off; and, once called off, how to begin again. */
function UnderWay({ rehearsal: { answer, busy, progress, off, callOff, again } }: { rehearsal: Rehearsing }) {
  const [isLong, setLong] = useState(false)
  useEffect(() => {
    if (!busy) return setLong(false)
    const timer = setTimeout(() => setLong(true), LONG_MS)
    return () => clearTimeout(timer)
  }, [busy])
  if (off)
    return (
      <p className="text-muted text-sm">
        Called off{answer ? '; below is what came of it before the last edit' : ''}.{' '}
        <Button shortcut="r" onClick={again}>
          Rehearse again
        </Button>
      </p>
    )
  if (!busy || (answer && !isLong)) return null
  return (
    <div className="flex items-baseline gap-3 text-sm">
      <span className="text-muted">Rehearsing{progress > 0 ? `, ${Math.round(progress * 100)} %` : ' …'}</span>
      {isLong && <progress aria-label="Rehearsed" className="h-1 flex-1 accent-spruce" value={progress} max={1} />}
      {isLong && <Button onClick={callOff}>Call it off</Button>}
    </div>
  )
}

function Told({ rehearsal, days, usesGroups, onSample }: { rehearsal: ShownRehearsal; days: number; usesGroups: boolean; onSample: (id: number) => void }) {
  const { firings, byRecipient, changes, first, left } = rehearsal
  const sent = sentWords(rehearsal, byRecipient.length)
  const isShort = first !== null && Date.now() - new Date(first).getTime() < (days - 1) * 86_400_000
  return (
    <>
      <p className="font-serif text-lg leading-snug">
        It would have fired {firings.toLocaleString('en-GB')} {firings === 1 ? 'time' : 'times'}
        {sent === null ? ' and sent nothing' : ` and sent ${sent}`}.
      </p>
      {rehearsal.stays && <StaysToldLine stays={rehearsal.stays} />}
      {rehearsal.ticks && <Ticks ticks={rehearsal.ticks} />}
      <HeldBack limits={rehearsal.limits} digest={rehearsal.digest} />
      <p className="text-muted text-xs">
        {rehearsal.ticks ? 'With records as they stood at each of its times' : `Of ${counted(changes, 'change')} in these days`}
        {isShort && first ? ', the first of them ' : ''}
        {isShort && first && <Time at={first} />}. Nothing was sent or written{usesGroups && '; groups are taken as they are now'}.
        {rehearsal.late.map((field) => (
          <span key={field.label}>
            {' '}
            {field.label} is there since <Time at={field.at} />; before, it counts as blank.
          </span>
        ))}
        {left > 0 && ` ${counted(left, 'thing')} to mend ${left === 1 ? 'was' : 'were'} left out.`} {behindWords(rehearsal.behind)}
      </p>
      {firings > 0 && <ByDay days={rehearsal.byDay} span={days} />}
      <Compared compared={rehearsal.compared} onSample={onSample} />
      <Troubles rehearsal={rehearsal} onSample={onSample} />
      {byRecipient.length > 0 && (
        <details className="text-sm">
          <summary className="cursor-pointer py-1 leading-5 text-spruce">Whom it would have written to</summary>
          <ul>
            {byRecipient.slice(0, 12).map((r) => (
              <li key={r.address} className="grid grid-cols-[minmax(0,1fr)_3rem_6rem] gap-2 border-rule border-t py-0.5">
                <span className="truncate">{r.address}</span>
                <span className="figures text-right">{r.messages}</span>
                <span className="text-right text-muted">{r.mostADay > 1 ? `${r.mostADay} on one day` : ''}</span>
              </li>
            ))}
          </ul>
          {byRecipient.length > 12 && <p className="text-muted">and {byRecipient.length - 12} more</p>}
        </details>
      )}
    </>
  )
}

/** What each limit would have held back, with some of it. */
function HeldBack({ limits, digest }: Pick<ShownRehearsal, 'limits' | 'digest'>) {
  const told = limits.filter((l) => l.held > 0)
  if (told.length === 0) return null
  return (
    <section aria-label="Held back" className="my-2 border-rule border-y py-1.5 text-sm">
      {told.map((l) => (
        <details key={l.path}>
          <summary className="cursor-pointer leading-6">
            <b className="figures font-semibold">{l.held.toLocaleString('en-GB')}</b> of {l.of.toLocaleString('en-GB')} {HELD_WORDS[l.path] ?? 'held back'}
          </summary>
          <ul className="mb-1">
            {l.examples.map((e, i) => (
              <li key={`${e.change.id} ${i}`} className="border-rule border-t py-0.5">
                <Link href={`/changes/${e.change.id}`}>{e.change.title}</Link> <Time at={e.change.at} /> <span className="text-muted">{e.message}</span>
              </li>
            ))}
          </ul>
        </details>
      ))}
      {digest && <FullestDigest digest={digest} />}
    </section>
  )
}

/** The digest that would have gathered most, opened to be read. */
function FullestDigest({ digest: { address, until, count, mail } }: { digest: NonNullable<ShownRehearsal['digest']> }) {
  return (
    <details>
      <summary className="cursor-pointer leading-6">
        The fullest digest: <b className="figures font-semibold">{count.toLocaleString('en-GB')}</b> to {address}, <Time at={until} />
      </summary>
      <div className="mb-1 border-rule border-t py-1">
        <p className="font-semibold">{mail.subject}</p>
        <MailFrame mail={mail} />
      </div>
    </details>
  )
}

const HELD_WORDS: Readonly<Record<string, string>> = {
  '/limits/spacing': 'left out by spacing',
  '/limits/digest': 'gathered into digests',
  '/limits/quietHours': 'held through quiet hours',
  '/limits/perDay': 'held past the most of a day',
  '/limits/mayGather': 'gathered for recipients who asked for it',
  '/limits/mayStop': 'not sent to recipients who said stop',
}

const WIDTH = 380
const HEIGHT = 44
const DAY_MS = 86_400_000

/** Mail by day, over the whole span, days without any included. */
function ByDay({ days, span }: { days: ShownRehearsal['byDay']; span: number }) {
  const told = new Map(days.map((d) => [d.day, d]))
  const today = Math.floor(Date.now() / DAY_MS)
  const bars = Array.from({ length: span }, (_, i) => {
    const day = new Date((today - span + 1 + i) * DAY_MS).toISOString().slice(0, 10)
    const { firings = 0, messages = 0 } = told.get(day) ?? {}
    return { day, value: messages, words: `${counted(firings, 'firing')}, ${counted(messages, 'mail')}` }
  })
  const top = days.reduce((a, b) => (b.messages > a.messages ? b : a))
  return <WalkedDays className="mt-2" label={`Mail by day; most on ${top.day}: ${top.messages} from ${top.firings} firings`} bars={bars} width={WIDTH} height={HEIGHT} />
}

/** What the draft does otherwise than the version that is live, each change to be opened. */
function Compared({ compared, onSample }: { compared: ShownRehearsal['compared']; onSample: (id: number) => void }) {
  if (!compared) return null
  const { added, gone } = compared
  if (added.length === 0 && gone.length === 0) return <p className="text-muted text-sm">It fires for the same changes as the version that is live.</p>
  return (
    <div className="text-sm">
      {added.length > 0 && <Listed words={`${counted(added.length, 'firing')} that the live version does not have`} changes={added} onSample={onSample} />}
      {gone.length > 0 && <Listed words={`${counted(gone.length, 'firing')} of the live version that this one drops`} changes={gone} onSample={onSample} />}
    </div>
  )
}

/** What became of what was to stay so. */
function StaysToldLine({ stays }: { stays: NonNullable<ShownRehearsal['stays']> }) {
  const [most] = stays.brokenBy
  return (
    <p className="mb-1 text-sm">
      {counted(stays.began, 'time')} it became true: {stays.stayed} stayed so, {stays.broken} {stays.broken === 1 ? 'was' : 'were'} broken
      {most && `, mostly by ${most.fields.map((f) => f.replaceAll('_', ' ')).join(' and ')}`}, {stays.waiting} still wait{stays.waiting === 1 ? 's' : ''}.
    </p>
  )
}

/** The last times of a timetable: how many records fitted, and how many runs that would have made. */
function Ticks({ ticks }: { ticks: NonNullable<ShownRehearsal['ticks']> }) {
  return (
    <table className="my-2 w-full text-sm">
      <TableHead columns={['It would have come', ['fitted', 'text-right'], ['runs', 'text-right'], ['mail', 'text-right']]} />
      <tbody>
        {ticks.told.slice(0, 8).map((tick) => (
          <tr key={tick.at} className="border-rule border-t">
            <td className="py-0.5">
              <Time at={tick.at} />
            </td>
            {[tick.fit, tick.firings, tick.messages].map((n, i) => (
              <td key={i} className="figures text-right">
                {n.toLocaleString('en-GB')}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
      {ticks.all > 8 && <caption className="caption-bottom text-left text-muted text-xs">and {counted(ticks.all - 8, 'time')} before</caption>}
    </table>
  )
}

function Listed({ words, changes, onSample }: { words: string; changes: readonly PastChange[]; onSample: (id: number) => void }) {
  return (
    <details>
      <summary className="cursor-pointer py-1 leading-5 text-rope">{words}</summary>
      <ul className="max-h-40 overflow-y-auto">
        {changes.slice(0, 40).map((c) => (
          <li key={c.id} className="border-rule border-t">
            <button type="button" className="flex w-full justify-between py-0.5 text-left hover:bg-spruce-wash" onClick={() => onSample(c.id)}>
              <span className="truncate text-spruce">{c.title}</span>
              <span className="text-muted">
                <Time at={c.at} />
              </span>
            </button>
          </li>
        ))}
      </ul>
    </details>
  )
}

/** What would have gone wrong, each with how often. */
function Troubles({ rehearsal, onSample }: { rehearsal: ShownRehearsal; onSample: (id: number) => void }) {
  const { nobody, repeats, failed } = rehearsal
  return (
    <div className="text-sm">
      {failed.map((f) => (
        <p key={f.message} className="text-alarm">
          {counted(f.count, 'firing')} would have failed: {f.message}{' '}
          <button type="button" className="underline" onClick={() => onSample(f.example.id)}>
            {f.example.title}
          </button>
        </p>
      ))}
      {nobody.count > 0 && (
        <details>
          <summary className="cursor-pointer py-1 leading-5 text-rope">{counted(nobody.count, 'firing')} found nobody to send to</summary>
          {nobody.reasons.slice(0, 4).map((r) => (
            <p key={r.message} className="border-rule border-t py-0.5">
              {r.count} × {r.message}
            </p>
          ))}
          {nobody.examples.map((c) => (
            <button key={c.id} type="button" className="mr-3 text-spruce hover:underline" onClick={() => onSample(c.id)}>
              {c.title}
            </button>
          ))}
        </details>
      )}
      {repeats.length > 0 && (
        <details>
          <summary className="cursor-pointer py-1 leading-5 text-rope">
            {counted(repeats.length, 'record')} fired more than once, {repeats[0]?.title} {repeats[0]?.firings} times
          </summary>
          {repeats.slice(0, 8).map((r) => (
            <p key={r.record} className="flex justify-between border-rule border-t py-0.5">
              <span className="truncate">{r.title}</span>
              <span className="figures">{r.firings}</span>
            </p>
          ))}
        </details>
      )}
    </div>
  )
}
