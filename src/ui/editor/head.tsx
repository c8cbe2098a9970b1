'use client'

import { useRouter } from 'next/navigation'
import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
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
import { AskLive, heldWords } from './ask-live'
import { AskPassedBy } from './passed-by'
import type { Rehearsing } from './rehearsing'
import type { Saving } from './saving'
import type { Standing } from './standing'

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
}: Props) {
  const { state, version } = standing
  const isSaved = saving.state.is === 'saved'
  const [passing, setPassing] = useState<'catch-up' | 'resume' | null>(null)
  const [pausing, setPausing] = useState(false)
  const pause = () => onAct('pause', 'Paused. Changes pass it by until it is resumed.')
  return (
    <header className="mb-3">
      <div className="flex items-baseline gap-4">
        <input
          aria-label="Name of the workflow"
          value={name}
          onChange={(e) => onName(e.target.value)}
          className="min-w-0 flex-1 border-transparent border-b bg-transparent font-serif text-2xl tracking-tight outline-none hover:border-rule focus:border-rope-mark"
        />
      </div>
      <div className="mt-1 flex flex-wrap items-center gap-x-5 gap-y-2">
        <StateMark state={state}>{state === 'draft' ? 'Draft, never live' : `${state === 'live' ? 'Live' : 'Paused'}, version ${version}`}</StateMark>
        <span className="text-rope text-sm" aria-live="polite">
          {savedWords(saving, state !== 'draft' && !isLive)}
        </span>
        {state !== 'draft' && (
          <span className="text-muted text-sm">
            {counted(standing.firings, 'firing')} so far, {counted(standing.messages, 'message')}
          </span>
        )}
        <span className="ml-auto flex items-center gap-5">
          {errors > 0 && (
            <Button kind="alarm" onClick={onJump}>
              {counted(errors, 'thing')} to mend
            </Button>
          )}
          <Button onClick={onSave} disabled={isSaved} shortcut="Ctrl S">
            Save draft
          </Button>
          <Button onClick={onDryRun} shortcut="t">
            Dry run
          </Button>
          {state === 'live' && <Button onClick={async () => ((await onLook()).held > 0 ? setPausing(true) : pause())}>Pause</Button>}
          {state === 'live' && standing.passedBy > 0 && <Button onClick={() => setPassing('catch-up')}>Run the {standing.passedBy} that passed by</Button>}
          {state === 'paused' && <Button onClick={() => (standing.passedBy > 0 ? setPassing('resume') : onAct('resume', RESUMED))}>Resume</Button>}
          {saving.name !== null && <More name={saving.name} held={standing.held} onLook={onLook} />}
          <Button kind="main" onClick={onAskLive} disabled={state === 'live' && isLive && isSaved}>
            Send it live
          </Button>
        </span>
      </div>
      <Stale saving={saving} onTheirs={onTheirs} />
      <Confirm open={pausing} setOpen={setPausing} title="Pause it?" deed="Pause it" leave="Leave it live" kind="main" onDeed={pause}>
        Changes pass it by until it is resumed. {heldWords(standing.held)} kept while it is paused, and {standing.held === 1 ? 'goes' : 'go'} at the earliest when it is resumed.
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
        onLive={(overrule, alreadyTrue) => onAct('live', 'It is live.', { ...(overrule === undefined ? {} : { overrule }), ...(alreadyTrue ? { alreadyTrue } : {}) })}
      />
    </header>
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

function More({ name, held, onLook }: { name: string; held: number; onLook: () => Promise<Standing> }) {
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
        {held > 0 && <b className="mt-2 block font-semibold">{counted(held, 'mail')} that its limits hold would never be sent.</b>}
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
