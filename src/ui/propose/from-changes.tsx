'use client'

import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useState } from 'react'
import { toast } from 'sonner'
import type { Change } from '@/core/changes/change'
import { faultOf } from '@/core/must'
import { changePath, type TableDef, titleOf } from '@/core/values/tables'
import type { ToldProposal, ToldProposals } from '@/engine/propose'
import { call } from '../api'
import { type EditorSetting, shownAt } from '../editor/setting'
import { Behind } from '../parts/behind'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import Link from '../parts/link'
import { Empty, Page, Title } from '../parts/page'
import { useAsked } from '../parts/queries'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { useTitles } from '../records/use-titles'
import { isForKeys } from '../shell/keys'
import { useGo } from '../shell/leaving'
import { handOver } from '../words/hand-over'
import { pastChangesPage } from './address'
import { ChangeList } from './change-list'
import { proposedDraft } from './make'
import { marked, useMarks } from './marks'
import { NarrowedList } from './narrowed'
import type { Past } from './past'
import { ProposalBrief } from './proposal'
import { Question } from './question'

interface Props {
  readonly setting: Sent<EditorSetting>
  readonly table: TableDef
  readonly changes: readonly Change[]
  readonly titles: Readonly<Record<string, string>>
  readonly yes: readonly number[]
  readonly no: readonly number[]
  /** The workflow that is to fire for less; null where one is to be made. */
  readonly within: string | null
  /** How many changes to list where more are wanted; null where all are there. */
  readonly more: number | null
  /** Seconds that what is listed is behind; null where it is not. */
  readonly behind: number | null
}

const AFTER_MARK_MS = 60

/** From past changes: what should have told somebody is marked, what should not have too; conditions are proposed, and what tells them apart is asked. */
export function FromChanges({ setting: sent, table, changes, titles, yes, no, within, more, behind }: Props) {
  const setting = useSent(sent)
  const go = useGo()
  const { marks, mark } = useMarks(yes, no)
  const [sought, setSought] = useState('')
  const [isMarkedOnly, setMarkedOnly] = useState(false)
  const [wanted, setWanted] = useState<number | null>(null)
  const schema = useMemo(() => new Map(setting.tables.map((t) => [t.name, t])), [setting])
  const fetched = useTitles(schema)
  const past: Past = useMemo(() => {
    const title = (name: string, id: string | number) => titles[`${name} ${id}`] ?? fetched(name, id)
    return { table, setting, organisation: setting.organisation, changes, shown: (field, value) => shownAt(setting, table, field, value, title) }
  }, [table, setting, changes, titles, fetched])
  const question = { table: table.name, yes: marked(marks, 'yes'), no: marked(marks, 'no'), ...(within === null ? {} : { within }) }
  const isAsked = within === null ? question.yes.length > 0 : question.no.length > 0
  useQuery({ queryKey: ['read ahead', table.name, within], queryFn: () => call('POST', '/api/v1/propose', { ...question, yes: [], no: [] }), enabled: !isAsked }) // what is marked next is then answered sooner
  const { answer, busy, fault } = useAsked<ToldProposals>('/api/v1/propose', isAsked ? question : null, AFTER_MARK_MS)
  const asked = useAskedChange(wanted !== null && !marks.has(wanted) ? wanted : (answer?.ask ?? null), past)
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (!asked || !isForKeys(event.target) || event.ctrlKey || event.metaKey || event.altKey) return
      if (event.key === 'y' || event.key === 'n') mark(asked.id, event.key === 'y' ? 'yes' : 'no')
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  })
  const make = async (proposal: ToldProposal) => {
    try {
      go(handOver({ workflow: await proposedDraft(proposal, past, marks), live: false }))
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const found = useMemo(() => changes.filter((change) => (!isMarkedOnly || marks.has(change.id)) && fits(change, sought, past)), [changes, sought, past, isMarkedOnly, marks])
  const proposals = (isAsked && answer?.proposals) || []
  const tables = setting.tables.filter((t) => t.name !== 'person').map((t) => ({ value: t.name, label: t.label }))
  return (
    <Page
      margin={
        <div aria-live="polite" aria-busy={busy}>
          {!isAsked && <HowTo within={within} />}
          {isAsked && asked && <Question change={asked} past={past} isLast={proposals.length < 2} onMark={(as) => mark(asked.id, as)} />}
          {isAsked && fault && <p className="text-alarm">{fault}</p>}
          {isAsked &&
            answer?.said.map((sentence) => (
              <p key={sentence} className="mb-2 border-rope-mark border-l-2 pl-3">
                {sentence}
              </p>
            ))}
          {isAsked && answer && <Contradictions pairs={answer.contradictions} past={past} />}
          {within !== null ? (
            <NarrowedList within={within} past={past} marks={marks} proposals={proposals} onTell={setWanted} />
          ) : (
            proposals.map((proposal, i) => (
              <ProposalBrief
                key={proposal.sentence}
                past={past}
                proposal={proposal}
                isFirst={i === 0}
                onMake={() => void make(proposal)}
                onTell={proposals.length > 1 ? setWanted : null}
              />
            ))
          )}
        </div>
      }
    >
      <Title>{within === null ? 'From past changes' : `Where ${within} should not have fired`}</Title>
      <p className="text-muted">
        {within === null
          ? 'Mark a few changes that should have told somebody, and a few that should not. Conditions that agree are proposed beside them.'
          : 'These are the changes it fired for. Mark those that should not have told anybody; a condition to add is proposed beside them.'}
      </p>
      <div className="mt-3 grid max-w-3xl grid-cols-[minmax(0,1fr)_minmax(0,1.6fr)_auto] items-baseline gap-6">
        {within === null ? (
          <Choice label="Table" value={table.name} options={tables} onChange={(name) => go(pastChangesPage({ table: name }))} />
        ) : (
          <Link href={`/workflows/${encodeURIComponent(within)}`}>Open the brief</Link>
        )}
        <input aria-label="Find" placeholder="Find by title, value or person" className="blank-line" value={sought} onChange={(e) => setSought(e.target.value)} />
        <span className="whitespace-nowrap text-muted text-sm">
          {question.yes.length} yes, {question.no.length} no{' '}
          {marks.size > 0 && (
            <Button aria-pressed={isMarkedOnly} onClick={() => setMarkedOnly(!isMarkedOnly)} className="pl-2">
              {isMarkedOnly ? 'Show all' : 'Show these alone'}
            </Button>
          )}
        </span>
      </div>
      <Behind seconds={behind} />
      {found.length > 0 ? (
        <ChangeList past={past} changes={found} marks={marks} onMark={mark} />
      ) : (
        <Empty>
          {changes.length
            ? 'None of these changes fits what is sought.'
            : within === null
              ? `Nothing of ${table.label.toLowerCase()} is recorded yet.`
              : 'It has not fired for a change yet.'}
        </Empty>
      )}
      {more && (
        <p className="pt-3">
          <Link href={pastChangesPage({ ...question, take: more })} scroll={false}>
            Show older ones
          </Link>
        </p>
      )}
    </Page>
  )
}

function HowTo({ within }: { within: string | null }) {
  return (
    <>
      <h2 className="font-serif text-lg">{within === null ? 'What is proposed' : 'What to add'}</h2>
      <p className="text-muted">
        {within === null
          ? 'Nothing is marked yes yet. Press yes beside a change, or y where it is chosen; four or five of each kind usually do. Then what tells the proposals apart is asked, one change at a time.'
          : 'Nothing is marked no yet. Press no beside a change that should not have told anybody, or n where it is chosen.'}
      </p>
    </>
  )
}

/** Pairs of changes that are marked differently and that nothing recorded tells apart. */
function Contradictions({ pairs, past }: { pairs: readonly (readonly [number, number])[]; past: Past }) {
  const title = (id: number) => {
    const change = past.changes.find((c) => c.id === id)
    return change
      ? `${titleOf(past.table, change.after ?? change.before ?? {})}, ${new Date(change.at).toLocaleString(past.organisation.locale, { timeZone: past.organisation.zone })}`
      : `change ${id}`
  }
  return (
    <ul className="mb-3 text-sm">
      {pairs.slice(0, 3).map(([yes, no]) => (
        <li key={`${yes} ${no}`} className="border-rule border-t py-1.5">
          <Link href={changePath(yes, past.table.name)}>{title(yes)}</Link> is marked yes, <Link href={changePath(no, past.table.name)}>{title(no)}</Link> no.
        </li>
      ))}
    </ul>
  )
}

/** Whether a change is one that is sought: by the title of its record, by a value that it changed, or by who changed it. */
function fits(change: Change, sought: string, { table, shown }: Past): boolean {
  const words = sought.trim().toLowerCase()
  if (!words) return true
  const image = change.after ?? change.before ?? {}
  const texts = [
    titleOf(table, image),
    change.by.name,
    ...change.changed.flatMap((name) => [shown(name, image[name]), change.kind === 'changed' ? shown(name, change.before?.[name]) : '']),
  ]
  return texts.some((text) => text.toLowerCase().includes(words))
}

/** The change that is asked about: one of those that are listed, else read from the log. */
function useAskedChange(id: number | null, { changes, table }: Past): Change | null {
  const listed = changes.find((change) => change.id === id) ?? null
  const { data } = useQuery({
    queryKey: ['change', table.name, id],
    queryFn: async ({ signal }) => {
      const { changes: found } = await call<{ changes: Change[] }>('GET', `/api/v1/changes?table=${table.name}&after=${Number(id) - 1}&limit=1`, undefined, signal)
      return found.find((change) => change.id === id) ?? null
    },
    enabled: id !== null && !listed,
  })
  return listed ?? data ?? null
}
