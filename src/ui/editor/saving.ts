'use client'

import { useCallback, useEffect, useRef, useState } from 'react'
import type { Workflow } from '@/core/workflow/document'
import { readWorkflow } from '@/core/workflow/schema'
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
  readonly text: string
  readonly savedAt: string | null
}

interface Answer {
  readonly name: string
  readonly draft: Workflow
  readonly savedAt: string
  readonly savedBy: string | null
}

const AFTER_TYPING_MS = 1_200
const LOOK_EVERY_MS = 8_000

export interface Saving {
  readonly state: SaveState
  /** The name it is kept under; null while it never was. */
  readonly name: string | null
  /** Saves at once what is not saved; answers the name, or null where it was refused. */
  save(): Promise<string | null>
  /** After somebody else saved: puts one's own over it. */
  overwrite(): void
  /** After somebody else saved: gives theirs, to go on from. */
  takeTheirs(): Promise<Workflow | null>
}

/** Keeps a draft as it is edited, never over what somebody else saved, and notices when they do. */
export function useSaving(document: Workflow, begun: { name: string | null; savedAt: string | null }): Saving {
  const [kept, setKept] = useState<Kept>({ name: begun.name, text: begun.name === null ? '' : JSON.stringify(document), savedAt: begun.savedAt })
  const [trouble, setTrouble] = useState<Extract<SaveState, { is: 'failed' | 'stale' }> | null>(null)
  const [busy, setBusy] = useState(false)
  const now = useRef({ document, kept })
  now.current = { document, kept }
  const text = JSON.stringify(document)
  const isSaved = kept.text === text
  const begunAs = useRef(text)
  /** A new workflow is not kept before anything in it was edited. */
  const isWorthKeeping = kept.name !== null || text !== begunAs.current

  const put = useCallback(async (over: boolean): Promise<string | null> => {
    const { document: given, kept: last } = now.current
    const sent = JSON.stringify(given)
    if (last.text === sent && !over) return last.name
    const read = readWorkflow(JSON.parse(sent))
    if ('problems' in read) {
      setTrouble({ is: 'failed', why: read.problems.map((p) => p.message).join(' ') })
      return null
    }
    setBusy(true)
    try {
      const answer = await putDraft(given, last, over)
      setKept({ name: answer.name, text: sent, savedAt: answer.savedAt })
      setTrouble(null)
      if (answer.name !== last.name) window.history.replaceState(null, '', pageOf(answer.name))
      return answer.name
    } catch (error) {
      const isStale = error instanceof Refusal && error.problem.status === 412
      setTrouble(isStale ? { is: 'stale', by: error.message.split(' has saved')[0] ?? null } : { is: 'failed', why: (error as Error).message })
      return null
    } finally {
      setBusy(false)
    }
  }, [])

  // biome-ignore lint/correctness/useExhaustiveDependencies: each edit begins the wait anew
  useEffect(() => {
    if (isSaved || trouble?.is === 'stale' || !isWorthKeeping) return
    const timer = setTimeout(() => void put(false), AFTER_TYPING_MS)
    return () => clearTimeout(timer)
  }, [text, isSaved, trouble?.is, isWorthKeeping, put])

  useEffect(() => {
    const timer = setInterval(async () => {
      const { name, savedAt } = now.current.kept
      if (name === null || window.document.hidden) return
      const answer = await call<Answer>('GET', pathOf(name)).catch(() => null)
      if (answer && savedAt === now.current.kept.savedAt && answer.savedAt !== savedAt) setTrouble({ is: 'stale', by: answer.savedBy })
    }, LOOK_EVERY_MS)
    return () => clearInterval(timer)
  }, [])

  const takeTheirs = async (): Promise<Workflow | null> => {
    const { name } = now.current.kept
    const answer = name === null ? null : await call<Answer>('GET', pathOf(name)).catch(() => null)
    if (!answer) return null
    setKept({ name: answer.name, text: JSON.stringify(answer.draft), savedAt: answer.savedAt })
    setTrouble(null)
    return answer.draft
  }

  return {
    state: trouble ?? { is: busy ? 'saving' : isSaved ? 'saved' : 'edited' },
    name: kept.name,
    save: () => put(false),
    overwrite: () => void put(true),
    takeTheirs,
  }
}

const pathOf = (name: string) => `/api/v1${pageOf(name)}`

function putDraft(document: Workflow, { name, savedAt }: Kept, over: boolean): Promise<Answer> {
  if (name === null) return call('PUT', `${pathOf(document.name)}?new`, document)
  return call('PUT', pathOf(name), document, undefined, over || savedAt === null ? {} : { 'if-match': `"${savedAt}"` })
}
