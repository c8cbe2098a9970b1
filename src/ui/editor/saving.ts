'use client'

import { useQuery } from '@tanstack/react-query'
import PQueue from 'p-queue'
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react'
import type { Workflow } from '@/core/document/document'
import { readWorkflow } from '@/core/document/schema'
import { faultOf } from '@/core/must'
import type { WorkflowAnswer } from '@/engine/answers/workflow'
import { call, Refusal } from '../api'
import { pageOf } from './standing'

/** How a draft stands to what is kept of it. */
export type SaveState =
  | { readonly is: 'saved' | 'edited' | 'saving' }
  | { readonly is: 'failed'; readonly why: string }
  /** Somebody else saved it in the meantime. */
  | { readonly is: 'stale'; readonly by: string | null }

interface Kept {
  readonly name: string | null
  /** The document as JSON; nothing while that is not known, as while it is being saved. */
  readonly text: string
  readonly savedAt: string | null
}

const AFTER_TYPING_MS = 1_200
/** How long after a save that failed, as while the network is gone, it is tried again. */
const AFTER_FAILURE_MS = 5_000
const LOOK_EVERY_MS = 8_000

export interface Saving {
  readonly state: SaveState
  /** Whether something was edited that is not kept. */
  readonly isUnsaved: boolean
  /** The name it is kept under; null while it never was. */
  readonly name: string | null
  /** Saves at once what is not saved; answers the name, or null where it was refused. */
  save(): Promise<string | null>
  /** After somebody else saved: puts one's own over it. */
  overwrite(): void
  /** After somebody else saved: gives theirs, to go on from. */
  takeTheirs(): Promise<Workflow | null>
}

/** Keeps a draft as it is edited, one save after the other, never over what somebody else saved, and notices when they do. */
export function useSaving(document: Workflow, begun: { name: string | null; savedAt: string | null }): Saving {
  const [kept, setKept] = useState<Kept>({ name: begun.name, text: begun.name === null ? '' : JSON.stringify(document), savedAt: begun.savedAt })
  const [trouble, setTrouble] = useState<Extract<SaveState, { is: 'failed' | 'stale' }> | null>(null)
  const [busy, setBusy] = useState(false)
  const [queue] = useState(() => new PQueue({ concurrency: 1 }))
  const [begunAs] = useState(() => JSON.stringify(document))
  const text = JSON.stringify(document)
  const isSaved = kept.text === text
  /** A new workflow is not kept before anything in it was edited. */
  const isWorthKeeping = kept.name !== null || text !== begunAs
  /** What is edited and what is kept of it, for what is done later than it was asked for. */
  const latest = useRef({ document, kept })
  useLayoutEffect(() => {
    latest.current = { document, kept }
  })

  const keep = useCallback((next: Kept) => {
    latest.current = { ...latest.current, kept: next } // the next save may begin before this is shown
    setKept(next)
  }, [])

  const put = useCallback(
    async (over: boolean): Promise<string | null> => {
      const { document: given, kept: last } = latest.current
      const sent = JSON.stringify(given)
      if (last.text === sent && !over) return last.name
      const read = readWorkflow(JSON.parse(sent))
      if ('problems' in read) {
        setTrouble({ is: 'failed', why: read.problems.map((p) => p.message).join(' ') })
        return null
      }
      setBusy(true)
      keep({ ...last, text: '' }) // what is edited meanwhile is to be kept after it, and be it back to what was kept before
      try {
        const answer = await putDraft(given, last, over)
        keep({ name: answer.name, text: sent, savedAt: answer.savedAt })
        setTrouble(null)
        if (answer.name !== last.name) window.history.replaceState(null, '', pageOf(answer.name))
        return answer.name
      } catch (error) {
        const isStale = error instanceof Refusal && error.problem.status === 412
        setTrouble(isStale ? { is: 'stale', by: error.problem.savedBy ?? null } : { is: 'failed', why: faultOf(error) })
        return null
      } finally {
        setBusy(false)
      }
    },
    [keep],
  )
  const save = useCallback((over = false) => queue.add(() => put(over)), [queue, put])

  // biome-ignore lint/correctness/useExhaustiveDependencies: each edit begins the wait anew
  useEffect(() => {
    if (isSaved || trouble?.is === 'stale' || !isWorthKeeping) return
    const timer = setTimeout(() => void save(), trouble ? AFTER_FAILURE_MS : AFTER_TYPING_MS)
    return () => clearTimeout(timer)
  }, [text, isSaved, trouble, isWorthKeeping, save])

  // it looks between saves, so that one's own is never taken for somebody else's
  useQuery({
    queryKey: ['kept', kept.name],
    queryFn: () =>
      queue.add(async () => {
        const { name, savedAt } = latest.current.kept
        const answer = name === null ? null : await call<WorkflowAnswer>('GET', pathOf(name))
        if (answer && answer.savedAt !== savedAt) setTrouble({ is: 'stale', by: answer.savedBy })
        return answer?.savedAt ?? null
      }),
    enabled: kept.name !== null,
    refetchInterval: LOOK_EVERY_MS,
  })

  const takeTheirs = async (): Promise<Workflow | null> => {
    const { name } = latest.current.kept
    const answer = name === null ? null : await call<WorkflowAnswer>('GET', pathOf(name)).catch(() => null)
    if (!answer) return null
    keep({ name: answer.name, text: JSON.stringify(answer.draft), savedAt: answer.savedAt })
    setTrouble(null)
    return answer.draft
  }

  return {
    state: trouble ?? { is: busy ? 'saving' : isSaved ? 'saved' : 'edited' },
    isUnsaved: !isSaved && isWorthKeeping,
    name: kept.name,
    save,
    overwrite: () => void save(true),
    takeTheirs,
  }
}

const pathOf = (name: string) => `/api/v1${pageOf(name)}`

function putDraft(document: Workflow, { name, savedAt }: Kept, over: boolean): Promise<WorkflowAnswer> {
  if (name === null) return call('PUT', `${pathOf(document.name)}?new`, document)
  return call('PUT', pathOf(name), document, undefined, over || savedAt === null ? {} : { 'if-match': `"${savedAt}"` })
}
