'use client'

import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { Dialog } from 'radix-ui'
import { type FormEvent, type KeyboardEvent, useMemo, useRef, useState } from 'react'
import { toast } from 'sonner'
import { readAnswers } from '@/core/cues/answers'
import { shownAnswers } from '@/core/cues/samples'
import { faultOf } from '@/core/must'
import type { RecordId, Stored } from '@/core/values/tables'
import type { Deed, PressAnswer } from '@/engine/answers/press'
import { call } from '../api'
import { Preview } from '../editor/preview'
import { Button } from '../parts/button'
import { MarginTitle } from '../parts/page'
import { useAsked } from '../parts/queries'
import { TwoSides } from '../parts/two-sides'
import type { PersonChoice } from '../records/values'
import { counted, sentWords } from '../today/summary'
import { QuestionField } from './question-field'

const AFTER_TYPING_MS = 250

interface Props {
  readonly deed: Deed
  /** The records it is run for. */
  readonly records: readonly RecordId[]
  /** The groups of a figure that it is run for. */
  readonly groups?: readonly Stored[]
  /** What those are, in words. */
  readonly said: string
  readonly people: readonly PersonChoice[]
  readonly onClose: () => void
  /** Told when it was sent. */
  readonly onSent?: () => void
}

/** Runs a workflow by hand: its questions at the left, what it would do at the right, changing with every answer. Enter in the last field sends. */
export function PressSheet({ deed, records, groups = [], said, people, onClose, onSent }: Props) {
  const router = useRouter()
  const client = useQueryClient()
  const form = useRef<HTMLFormElement>(null)
  const [press] = useState(() => crypto.randomUUID()) // the same for as long as the sheet is open: sent twice, it runs once
  const [answers, setAnswers] = useState<Readonly<Record<string, unknown>>>({})
  const [tried, setTried] = useState(false)
  const [busy, setBusy] = useState(false)
  const byEmail = useMemo(() => new Map(people.map((p) => [p.email.toLowerCase(), p.id])), [people])
  const read = readAnswers(deed.ask, answers, byEmail)
  const faults = new Map('problems' in read ? read.problems.map((p) => [p.path, p]) : [])
  const shown = shownAnswers(deed.ask, answers, faults)
  const chosen = deed.per === 'group' ? { groups } : { records }
  const path = `/api/v1/workflows/${encodeURIComponent(deed.workflow)}/run`
  const { answer, fault, busy: isAsking } = useAsked<PressAnswer>(path, { ...chosen, asked: shown, dryRun: true }, AFTER_TYPING_MS)

  const send = async (event?: FormEvent) => {
    event?.preventDefault()
    setTried(true)
    const [first] = faults.keys()
    if (first) return form.current?.querySelector<HTMLElement>(`[data-question="${first.slice('/asked/'.length)}"] :is(input, textarea, button)`)?.focus()
    setBusy(true)
    try {
      const { runs } = await call<{ runs: readonly number[] }>('POST', path, { press, ...chosen, asked: answers })
      toast(runs.length ? `${deed.workflow}: ${counted(runs.length, 'run')} under way.` : `Nothing ran: none of the ${deed.per === 'group' ? 'groups' : 'records'} fits.`, {
        action: { label: 'See the runs', onClick: () => router.push(runs.length === 1 ? `/runs/${runs[0]}` : `/runs?workflow=${encodeURIComponent(deed.workflow)}`) },
      })
      void client.invalidateQueries({ queryKey: ['rows'] })
      onSent?.()
      onClose()
    } catch (error) {
      toast.error(`${faultOf(error)} Nothing is sent twice: pressing again runs it once.`)
    } finally {
      setBusy(false)
    }
  }
  /** Enter goes to the next question, and in the last sends; in a long text it begins a line. */
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key !== 'Enter' || (event.target instanceof HTMLTextAreaElement && !event.ctrlKey && !event.metaKey)) return
    if (event.target instanceof HTMLButtonElement) return
    event.preventDefault()
    const fields = [...(form.current?.querySelectorAll<HTMLElement>('[data-question] :is(input, textarea, button[role="combobox"])') ?? [])]
    const next = fields[fields.indexOf(event.target as HTMLElement) + 1]
    if (next && !event.ctrlKey) next.focus()
    else void send()
  }
  return (
    <TwoSides onClose={onClose} onFocus={() => form.current?.querySelector<HTMLElement>(':is([data-question] :is(input, textarea, button), button[type="submit"])')?.focus()}>
      <form ref={form} onSubmit={send} onKeyDown={onKeyDown} className="overflow-y-auto px-7 py-6">
        <Dialog.Title className="font-serif text-2xl leading-tight">{deed.workflow}</Dialog.Title>
        <p className="mb-5 text-muted">{said}</p>
        <div className="grid gap-4">
          {deed.ask.map((question) => (
            <QuestionField
              key={question.name}
              question={question}
              value={answers[question.name]}
              people={people}
              fault={tried || isWrong(faults.get(`/asked/${question.name}`)?.code) ? faults.get(`/asked/${question.name}`)?.message : undefined}
              onAnswer={(value) => setAnswers({ ...answers, [question.name]: value })}
            />
          ))}
          {deed.ask.length === 0 && <p className="text-muted">It asks nothing.</p>}
        </div>
        <div className="mt-6 flex items-center gap-5">
          <Button kind="main" type="submit" disabled={busy} shortcut="Enter">
            {busy ? 'Sending …' : 'Run it'}
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </div>
      </form>
      <section aria-label="What it would do" aria-busy={isAsking} className="overflow-y-auto border-rule border-l bg-paper px-6 py-6">
        <MarginTitle note="Nothing is sent before you run it.">What it would do</MarginTitle>
        {fault && <p role="alert">{fault}</p>}
        {answer && <WouldDo answer={answer} />}
      </section>
    </TwoSides>
  )
}

/** Whether an answer is wrong rather than only not given yet, so that it is said before anything is sent. */
const isWrong = (code: string | undefined) => code !== undefined && code !== 'required'

/** For how many it runs, who would get what, and whom it leaves out. */
function WouldDo({ answer }: { answer: PressAnswer }) {
  const { runs, recipients, records, notes } = answer
  const first = records.find((r) => r.plan && r.plan.messages.length > 0)
  return (
    <>
      <p className="mb-2 font-serif text-lg leading-snug">
        {counted(runs, 'run')}, {sentWords(answer, recipients.length) ?? 'no mail'}.
      </p>
      {notes.map((note) => (
        <p key={note} className="text-rope text-sm">
          {note}
        </p>
      ))}
      <ul aria-label="Who would get what" className="mb-4 max-h-56 overflow-y-auto border-rule border-b">
        {records.map((r, i) => (
          <li key={r.record ?? i} className="grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)] gap-3 border-rule border-t py-1 text-sm">
            <span className="truncate">{r.title}</span>
            {r.to.length > 0 ? <span className="break-words">{r.to.join(', ')}</span> : <span className="text-rope">{reasonOf(r)}</span>}
          </li>
        ))}
      </ul>
      {first?.plan?.messages[0] && <Preview message={first.plan.messages[0]} />}
    </>
  )
}

/** Why nothing would be mailed for a record. */
function reasonOf({ fault, fires, why, notes, writes, notices }: PressAnswer['records'][number]): string {
  if (fault) return fault
  if (!fires) return why ?? 'It does not run.'
  const cause = notes.find((n) => n.code !== 'nobody' && n.code !== 'chose')
  if (writes + notices > 0 && !cause) return [writes ? counted(writes, 'write') : '', notices ? counted(notices, 'notice') : ''].filter(Boolean).join(', ')
  return cause?.message ?? notes[0]?.message ?? 'No mail.'
}
