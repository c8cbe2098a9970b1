'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import { call } from '../api'
import { Button, ButtonLink } from '../parts/button'
import { Choice, type Option } from '../parts/choice'
import { Confirm } from '../parts/confirm'
import Link from '../parts/link'
import { Empty, Title } from '../parts/page'
import type { Sent } from '../parts/sent'
import { AT_FIRST, ShowAll } from '../parts/show-all'
import { StateMark } from '../parts/state-mark'
import { Time } from '../parts/time'
import { useSent } from '../parts/use-sent'
import { pastChangesPage } from '../propose/address'
import { counted } from '../today/summary'
import { WordsField } from '../words/words-field'
import { Import } from './import'
import { Week } from './week'

export interface ListedWorkflow {
  readonly name: string
  readonly state: 'draft' | 'live' | 'paused'
  readonly table: string
  /** What it waits for and does, in a line. */
  readonly does: string
  /** What keeps the live version from doing what it says; null where nothing does. */
  readonly broken: string | null
  /** Whether the draft is ahead of what is live. */
  readonly isAhead: boolean
  readonly owner: string | null
  /** Whether it is a member's own, which writes to them alone. */
  readonly isOwn: boolean
  readonly runs: number
  readonly messages: number
  readonly failed: number
  readonly last: string | null
  readonly daily: readonly number[]
}

interface Asked {
  readonly q?: string
  readonly state?: string
  readonly table?: string
}

interface Props {
  readonly workflows: Sent<readonly ListedWorkflow[]>
  readonly tables: readonly Option[]
  /** Whether a member looks, who sees only their own. */
  readonly isMember: boolean
  readonly asked: Asked
  readonly locale: string
  readonly zone: string
}

const COLUMNS = 'grid grid-cols-[1.2rem_6rem_minmax(0,1fr)_6rem_10rem_7rem] items-baseline gap-x-4 max-lg:grid-cols-[1.2rem_5rem_minmax(0,1fr)_9rem_6rem]'

const ANY = '\u0000any'
const STATES: readonly Option[] = [
  { value: ANY, label: 'in any state' },
  { value: 'live', label: 'live' },
  { value: 'paused', label: 'paused' },
  { value: 'draft', label: 'drafts' },
]

/** The workflows as they were told, with the states that one's own deeds have brought about since; the next telling knows them by itself. */
function useOwnDeeds(told: readonly ListedWorkflow[]): [readonly ListedWorkflow[], (name: string, state: ListedWorkflow['state']) => void] {
  const [since, setSince] = useState<{ told: typeof told; states: ReadonlyMap<string, ListedWorkflow['state']> }>({ told, states: new Map() })
  const states = since.told === told ? since.states : new Map<string, ListedWorkflow['state']>()
  const note = (name: string, state: ListedWorkflow['state']) => setSince((old) => ({ told, states: new Map([...(old.told === told ? old.states : []), [name, state] as const]) }))
  return [told.map((w) => ({ ...w, state: states.get(w.name) ?? w.state })), note]
}

/** Every workflow, searched and filtered; several are paused or sent live at once. */
export function WorkflowList({ workflows: given, tables, isMember, asked, locale, zone }: Props) {
  const router = useRouter()
  const [workflows, note] = useOwnDeeds(useSent(given))
  const [view, setView] = useState(asked)
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const [resuming, setResuming] = useState(false)
  const [isWhole, setWhole] = useState(false)
  const go = (change: Asked) => {
    const next = { ...view, ...change }
    setView(next)
    const query = new URLSearchParams(Object.entries(next).filter((e): e is [string, string] => Boolean(e[1])))
    window.history.replaceState(null, '', `/workflows${query.size ? `?${query}` : ''}`)
  }
  /** One scale for all, so that bars compare. */
  const most = Math.max(1, ...workflows.flatMap((w) => w.daily))
  const text = (view.q ?? '').trim().toLowerCase()
  const shown = workflows.filter(
    (w) =>
      (!view.state || w.state === view.state) && (!view.table || w.table === view.table) && (text === '' || `${w.name} ${w.does} ${w.owner ?? ''}`.toLowerCase().includes(text)),
  )
  const act = async (verb: 'pause' | 'resume' | 'live', wanted: ListedWorkflow['state'], done: string) => {
    const names = workflows.filter((w) => chosen.has(w.name) && w.state === wanted).map((w) => w.name)
    const refused: string[] = []
    for (const name of names)
      await call('POST', `/api/v1/workflows/${encodeURIComponent(name)}/${verb}`).then(
        () => note(name, verb === 'pause' ? 'paused' : 'live'),
        (error: Error) => refused.push(`${name}: ${error.message}`),
      )
    if (names.length > refused.length) toast.success(`${counted(names.length - refused.length, 'workflow')} ${done}.`)
    for (const sentence of refused) toast.error(sentence)
    setChosen(new Set())
    router.refresh()
  }
  const among = (state: ListedWorkflow['state']) => workflows.filter((w) => chosen.has(w.name) && w.state === state).length
  return (
    <>
      <Title
        beside={<span className="text-muted">{shown.length === workflows.length ? `${workflows.length} in all` : `${shown.length} of ${workflows.length}`}</span>}
        actions={
          <>
            {!isMember && <ButtonLink href={pastChangesPage({})}>From past changes</ButtonLink>}
            <Import />
            <ButtonLink kind="main" href="/workflows/new">
              Make a workflow
            </ButtonLink>
          </>
        }
      >
        {isMember ? 'My workflows' : 'Workflows'}
      </Title>
      {!isMember && (
        <div className="mt-2 max-w-3xl">
          <WordsField place="workflows" />
        </div>
      )}
      <div className="mt-3 grid max-w-3xl grid-cols-[minmax(0,1.6fr)_minmax(0,1fr)_minmax(0,1fr)] gap-6">
        <input aria-label="Search" placeholder="Search by name, cue or owner" className="blank-line" value={view.q ?? ''} onChange={(e) => go({ q: e.target.value })} />
        <Choice label="State" value={view.state || ANY} options={STATES} onChange={(v) => go({ state: v === ANY ? '' : v })} />
        <Choice label="Table" value={view.table || ANY} options={[{ value: ANY, label: 'of any table' }, ...tables]} onChange={(v) => go({ table: v === ANY ? '' : v })} />
      </div>
      {chosen.size > 0 && (
        <p className="mt-3 flex items-baseline gap-6 bg-rope-wash px-3 py-1.5">
          <span>{counted(chosen.size, 'workflow')} chosen</span>
          {among('live') > 0 && <Button onClick={() => act('pause', 'live', 'paused')}>Pause the {among('live')} live</Button>}
          {among('paused') > 0 && <Button onClick={() => setResuming(true)}>Resume the {among('paused')} paused</Button>}
          {among('draft') > 0 && <Button onClick={() => act('live', 'draft', 'sent live')}>Send the {counted(among('draft'), 'draft')} live</Button>}
          <Button onClick={() => setChosen(new Set())}>Leave them</Button>
        </p>
      )}
      <Confirm
        open={resuming}
        setOpen={setResuming}
        title={`Resume ${counted(among('paused'), 'workflow')}?`}
        deed="Resume"
        leave="Not yet"
        kind="main"
        onDeed={() => act('resume', 'paused', 'resumed')}
      >
        From this moment changes fire them again. What passed them by stays passed by; each one’s brief says how much that was, what it would send, and can run it.
      </Confirm>
      {workflows.length === 0 && (
        <Empty>
          {isMember
            ? 'You keep no workflow yet. Take one from a table under Records: “Tell me when …”. It writes to you alone.'
            : 'No workflow yet. Make one: say what it waits for, when it holds, and who gets which mail.'}
        </Empty>
      )}
      {workflows.length > 0 && shown.length === 0 && <Empty>None fits. Search for less, or look in any state and table.</Empty>}
      {shown.length > 0 && (
        <p aria-hidden className={`${COLUMNS} mt-3 pb-1 text-muted text-xs`}>
          <span />
          <span>State</span>
          <span>Workflow</span>
          <span className="max-lg:hidden">Last 7 days</span>
          <span>In 7 days</span>
          <span className="text-right">Last fired</span>
        </p>
      )}
      <ul aria-label="Workflows" className="border-rule border-b">
        {shown.slice(0, isWhole ? undefined : AT_FIRST).map((w) => (
          <li key={w.name} className={`${COLUMNS} border-rule border-t py-2.5 hover:bg-sheet`}>
            <input
              type="checkbox"
              aria-label={`Choose ${w.name}`}
              className="self-center accent-spruce"
              checked={chosen.has(w.name)}
              onChange={(e) => setChosen(new Set(e.target.checked ? [...chosen, w.name] : [...chosen].filter((n) => n !== w.name)))}
            />
            <StateMark state={w.state === 'live' && w.broken ? 'broken' : w.state} />
            <div className="min-w-0">
              <Link href={`/workflows/${encodeURIComponent(w.name)}`} className="font-serif text-ink text-lg">
                {w.name}
              </Link>
              {w.isAhead && <span className="pl-3 text-rope text-sm">edits not yet live</span>}
              <p className="truncate text-muted text-sm" title={w.does}>
                {w.does}
                {w.owner && !isMember && ` · ${w.owner}${w.isOwn ? ', for themselves' : ''}`}
              </p>
              {w.state === 'live' && w.broken && <p className="text-alarm text-sm">It cannot do what it says. {w.broken}</p>}
            </div>
            <div className="self-center max-lg:hidden">
              <Week daily={w.daily} most={most} name={w.name} />
            </div>
            <span className="text-sm">
              {counted(w.runs, 'run')}, {counted(w.messages, 'mail')}
              {w.failed > 0 && (
                <Link href={`/runs?workflow=${encodeURIComponent(w.name)}&state=failed`} className="block font-semibold text-alarm">
                  {w.failed} failed
                </Link>
              )}
            </span>
            <span className="text-right text-muted text-sm">{w.last ? <Time at={w.last} locale={locale} zone={zone} /> : 'never fired'}</span>
          </li>
        ))}
      </ul>
      {!isWhole && shown.length > AT_FIRST && <ShowAll count={shown.length} locale={locale} onAll={() => setWhole(true)} />}
    </>
  )
}
