'use client'

import { Redo2, Undo2 } from 'lucide-react'
import { useRouter } from 'next/navigation'
import { DropdownMenu, Popover } from 'radix-ui'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import type { Finding } from '@/core/review/review'
import { call } from '../api'
import type { ShownExample } from '../examples/panel'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'
import { StateMark } from '../parts/state-mark'
import { counted } from '../today/summary'
import { AskLive, heldOf, heldWords, type Proof } from './ask-live'
import { AskPassedBy } from './passed-by'
import type { Rehearsing } from './rehearsing'
import type { Saving } from './saving'
import { pageOf, type Standing } from './standing'

/** What can be done with a saved workflow. */
export type Verb = 'live' | 'pause' | 'resume' | 'catch-up'

interface Props {
  readonly standing: Standing
  /** Looks how it stands now. */
  readonly onLook: () => Promise<Standing>
  readonly name: string
  readonly onName: (name: string) => void
  readonly saving: Saving
  /** Takes what somebody else saved in the meantime, in place of one's own. */
  readonly onTheirs: () => void
  readonly isLive: boolean
  readonly errors: number
  /** Examples that fail. */
  readonly failing: readonly ShownExample[]
  /** What the review and the past warn of. */
  readonly warnings: readonly Finding[]
  readonly rehearsal: Rehearsing
  readonly document: Workflow
  readonly asking: boolean
  readonly setAsking: (asking: boolean) => void
  readonly onSave: () => void
  readonly onAskLive: () => void
  /** Does a deed, then says that it is done; going live with why failing examples are overruled, and whether what fits now counts. */
  readonly onAct: (verb: Verb, done: string, body?: { readonly overrule?: string; readonly alreadyTrue?: boolean }) => void
  readonly onJump: () => void
  readonly onDryRun: () => void
  /** Undoes and redoes an edit; null where there is none. */
  readonly onUndo: (() => void) | null
  readonly onRedo: (() => void) | null
  /** How a trial is begun; null where one is armed. */
  readonly trial: ReactNode
  readonly trialOpen: boolean
  readonly setTrialOpen: (open: boolean) => void
  /** What going live is asked with. */
  readonly proof: Proof
}

const RESUMED = 'It is live again.'

/** The head of a brief: name, state, what is not saved or not live, and the deeds. */
export function Head({
  standing,
  onLook,
  name,
  onName,
  saving,
  onTheirs,
  isLive,
  errors,
  failing,
  warnings,
  rehearsal,
  document,
  asking,
  setAsking,
  onSave,
  onAskLive,
  onAct,
  onJump,
  onDryRun,
  onUndo,
  onRedo,
  trial,
  trialOpen,
  setTrialOpen,
  proof,
}: Props) {
  const { state, version } = standing
  const isSaved = saving.state.is === 'saved'
  const [passing, setPassing] = useState<'catch-up' | 'resume' | null>(null)
  const [pausing, setPausing] = useState(false)
  const pause = () => onAct('pause', 'Paused. Changes pass it by until it is resumed.')
  return (
    <header className="mb-3">
      <div className="flex items-center gap-4">
        <h1 className="sr-only">Workflow {name}</h1>
        <input
          aria-label="Name of the workflow"
          value={name}
          title={name}
          onChange={(e) => onName(e.target.value)}
          className="min-w-0 flex-1 truncate border-transparent border-b bg-transparent font-serif text-2xl tracking-tight outline-none hover:border-rule focus:border-rope-mark"
        />
        {errors > 0 && (
          <Button kind="alarm" className="whitespace-nowrap" onClick={onJump}>
            {counted(errors, 'thing')} to mend
          </Button>
        )}
        <Button kind="main" className="whitespace-nowrap" onClick={onAskLive} disabled={state === 'live' && isLive && isSaved}>
          {state === 'live' && !isLive ? 'Send the edit live' : 'Send it live'}
        </Button>
      </div>
      <div className="mt-1 flex min-h-8 items-center gap-x-4 gap-y-1 whitespace-nowrap max-lg:flex-wrap">
        <StateMark state={state}>{state === 'draft' ? 'Draft, never live' : `${state === 'live' ? 'Live' : 'Paused'}, version ${version}`}</StateMark>
        <span className="min-w-0 flex-1 truncate text-sm">
          <span className="text-rope" aria-live="polite">
            {savedWords(saving, state !== 'draft' && !isLive)}
          </span>
          {state !== 'draft' && (
            <span className="pl-3 text-muted">
              {counted(standing.firings, 'firing')}, {counted(standing.messages, 'message')}
              {standing.notices > 0 && ` and ${counted(standing.notices, 'notice')}`} so far
            </span>
          )}
        </span>
        <span className="flex items-center gap-1">
          <IconButton label="Undo" keys="Ctrl Z" onClick={onUndo}>
            <Undo2 aria-hidden className="size-4" />
          </IconButton>
          <IconButton label="Redo" keys="Ctrl Shift Z" onClick={onRedo}>
            <Redo2 aria-hidden className="size-4" />
          </IconButton>
        </span>
        <Button onClick={onSave} disabled={isSaved} title="Ctrl S">
          Save draft
        </Button>
        <Button onClick={onDryRun} title="t">
          Dry run
        </Button>
        {trial && (
          <Popover.Root open={trialOpen} onOpenChange={setTrialOpen}>
            <Popover.Trigger className="rounded-sm text-spruce text-sm underline-offset-4 hover:underline" title="y">
              Trial
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                align="end"
                sideOffset={6}
                collisionPadding={12}
                aria-label="Begin a trial"
                className="z-40 w-[min(420px,92vw)] rounded-md border border-rule bg-sheet px-4 py-3 shadow-lg"
              >
                {trial}
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        )}
        {state === 'live' && <Button onClick={async () => ((await onLook()).held > 0 ? setPausing(true) : pause())}>Pause</Button>}
        {state === 'live' && standing.passedBy > 0 && <Button onClick={() => setPassing('catch-up')}>Run the {standing.passedBy} that passed by</Button>}
        {state === 'paused' && <Button onClick={() => (standing.passedBy > 0 ? setPassing('resume') : onAct('resume', RESUMED))}>Resume</Button>}
        {saving.name !== null && <More name={saving.name} standing={standing} onLook={onLook} table={document.table} workflows={proof.workflows} />}
      </div>
      <Stale saving={saving} onTheirs={onTheirs} />
      <Confirm open={pausing} setOpen={setPausing} title="Pause it?" deed="Pause it" leave="Leave it live" kind="main" onDeed={pause}>
        Changes pass it by until it is resumed. {heldWords(standing)} kept while it is paused, and {standing.held === 1 ? 'goes' : 'go'} at the earliest when it is resumed.
      </Confirm>
      <AskPassedBy
        asking={passing}
        close={() => setPassing(null)}
        name={saving.name ?? name}
        passedBy={standing.passedBy}
        onDeed={(verb) => onAct(verb, verb === 'resume' ? RESUMED : 'They are being run now. Runs shows what comes of them.')}
      />
      <AskLive
        open={asking}
        setOpen={setAsking}
        standing={standing}
        failing={failing}
        warnings={warnings}
        past={rehearsal.answer}
        days={rehearsal.days}
        document={document}
        proof={proof}
        onLive={(overrule, alreadyTrue) => onAct('live', 'It is live.', { ...(overrule === undefined ? {} : { overrule }), ...(alreadyTrue ? { alreadyTrue } : {}) })}
      />
    </header>
  )
}

/** A deed by its picture, with its name and its keys for whoever points at it or hears it. */
function IconButton({ label, keys, onClick, children }: { label: string; keys: string; onClick: (() => void) | null; children: ReactNode }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={`${label}  ${keys}`}
      disabled={onClick === null}
      onClick={() => onClick?.()}
      className="inline-flex min-h-6 min-w-6 items-center justify-center rounded-sm text-spruce hover:bg-spruce-wash disabled:text-rule"
    >
      {children}
    </button>
  )
}

/** How the draft stands, in words. */
function savedWords({ state }: Saving, isAhead: boolean): string {
  if (state.is === 'saving') return 'Saving …'
  if (state.is === 'edited') return 'Edits not saved'
  if (state.is === 'failed') return `Not saved: ${state.why}`
  return state.is === 'saved' && isAhead ? 'Edits saved, not yet live' : ''
}

/** Says that somebody else saved the same draft, and asks whose is to stay. */
function Stale({ saving, onTheirs }: { saving: Saving; onTheirs: () => void }) {
  if (saving.state.is !== 'stale') return null
  return (
    <div role="alert" className="mt-2 flex flex-wrap items-baseline gap-x-5 border-rope-mark border-l-4 pl-3">
      <span>{saving.state.by ?? 'Somebody'} has saved this draft in the meantime. Nothing was overwritten.</span>
      <Button onClick={onTheirs}>Go on from theirs</Button>
      <Button kind="alarm" onClick={saving.overwrite}>
        Put mine over it
      </Button>
    </div>
  )
}

interface MoreProps {
  readonly name: string
  readonly standing: Standing
  readonly onLook: () => Promise<Standing>
  readonly table: string
  readonly workflows: Proof['workflows']
}

function More({ name, standing, onLook, table, workflows }: MoreProps) {
  const others = workflows.filter((w) => w.table === table && w.name !== name)
  const router = useRouter()
  const [asking, setAsking] = useState(false)
  const remove = async () => {
    try {
      await call('DELETE', `/api/v1/workflows/${encodeURIComponent(name)}`)
      router.push('/workflows')
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const item = 'cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-spruce-wash'
  return (
    <>
      <Confirm open={asking} setOpen={setAsking} title={`Delete “${name}”?`} deed="Delete the workflow" leave="Keep it" kind="alarm" onDeed={remove}>
        Its versions, its runs and its log of mail go with it. Mail that was sent stays sent. This cannot be undone.
        {standing.held > 0 && <b className="mt-2 block font-semibold">{heldOf(standing)} that its limits hold would never be sent.</b>}
      </Confirm>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="text-spruce text-sm hover:underline">More</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className="z-50 min-w-40 rounded-md border border-rule bg-sheet p-1 shadow-lg">
            <DropdownMenu.Item onSelect={() => router.push(`/runs?workflow=${encodeURIComponent(name)}`)} className={item}>
              Its runs
            </DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => router.push(`/workflows/${encodeURIComponent(name)}/waiting`)} className={item}>
              What waits for it
            </DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => router.push(`/workflows/${encodeURIComponent(name)}/versions`)} className={item}>
              Its versions
            </DropdownMenu.Item>
            <DropdownMenu.Item onSelect={() => router.push(`/workflows/new?copy=${encodeURIComponent(name)}`)} className={item}>
              Make a copy
            </DropdownMenu.Item>
            {others.length > 0 && (
              <DropdownMenu.Sub>
                <DropdownMenu.SubTrigger className={`${item} flex justify-between gap-4`}>
                  The other {counted(others.length, 'workflow')} of this table <span aria-hidden>›</span>
                </DropdownMenu.SubTrigger>
                <DropdownMenu.Portal>
                  <DropdownMenu.SubContent sideOffset={6} className="z-50 max-h-96 max-w-96 overflow-y-auto rounded-md border border-rule bg-sheet p-1 shadow-lg">
                    {others.map((other) => (
                      <DropdownMenu.Item key={other.name} onSelect={() => router.push(pageOf(other.name))} className={`${item} flex items-baseline gap-3`}>
                        <StateMark state={other.state} />
                        <span className="truncate">{other.name}</span>
                      </DropdownMenu.Item>
                    ))}
                  </DropdownMenu.SubContent>
                </DropdownMenu.Portal>
              </DropdownMenu.Sub>
            )}
            {(['json', 'yaml', 'text'] as const).map((as) => (
              <DropdownMenu.Item key={as} asChild className={`${item} block text-ink no-underline`}>
                <a href={`/api/v1/workflows/${encodeURIComponent(name)}/export?format=${as}`}>Export it as {as === 'text' ? 'text' : as.toUpperCase()}</a>
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item
              onSelect={() => {
                void onLook()
                setAsking(true)
              }}
              className={`${item} text-alarm`}
            >
              Delete it
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  )
}
