'use client'

import { useEffect } from 'react'
import type { Line } from '@/core/words/brief'
import { isForKeys, isSelectedLine, isTyping } from '../shell/keys'
import { type Edit, type EditorState, NEW_CLAUSE } from './state'
import { canMute } from './tree'

interface Deeds {
  readonly save: () => void
  readonly askLive: () => void
  /** Puts the caret where a line is typed. */
  readonly typeLine: () => void
  readonly arm: () => void
  readonly dryRun: () => void
  readonly rehearse: () => void
}

/** Puts the focus on a line's statement. */
export function focusLine(path: string): void {
  document.querySelector<HTMLElement>(`[data-line-button="${CSS.escape(path)}"]`)?.focus()
}

/** The keys of the brief: j and k, c, a, r, m, y, Del, Esc, Alt with an arrow, undo and redo, save, send live. */
export function useBriefKeys(state: EditorState, lines: readonly Line[], dispatch: (edit: Edit) => void, deeds: Deeds): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || isOverThePage(event.target)) return // it was meant for what stands over the brief
      const done =
        withCommand(event, dispatch, deeds) ||
        withAlt(event, state, dispatch) ||
        (event.key === 'Escape' && fold(event, state, dispatch)) ||
        (isForKeys(event.target) && plain(event, state, lines, dispatch, deeds))
      if (done) event.preventDefault()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [state, lines, dispatch, deeds])
}

function withCommand(event: KeyboardEvent, dispatch: (edit: Edit) => void, deeds: Deeds): boolean {
  if (!event.ctrlKey && !event.metaKey) return false
  const key = event.key.toLowerCase()
  if (key === 's') deeds.save()
  else if (key === 'enter') deeds.askLive()
  else if (key === 'z' && !isTyping(event.target)) dispatch({ do: event.shiftKey ? 'redo' : 'undo' })
  else return false
  return true
}

/** Whether something is in a dialog over the page. */
const isOverThePage = (target: EventTarget | null) => target instanceof HTMLElement && target.closest('[role="dialog"], [role="alertdialog"]') !== null

function fold(event: KeyboardEvent, state: EditorState, dispatch: (edit: Edit) => void): boolean {
  const inPopover = event.target instanceof HTMLElement && event.target.closest('[role="listbox"]')
  if (inPopover || state.open === null) return false
  const path = state.open
  dispatch({ do: 'fold' })
  focusLine(path)
  return true
}

const MOVES = { ArrowUp: 'up', ArrowDown: 'down', ArrowRight: 'indent', ArrowLeft: 'outdent' } as const

/** Alt with an arrow moves the chosen line; also while one types in it. */
function withAlt(event: KeyboardEvent, state: EditorState, dispatch: (edit: Edit) => void): boolean {
  const move = event.altKey && !event.ctrlKey && MOVES[event.key as keyof typeof MOVES]
  if (!move) return false
  dispatch({ do: move, path: state.chosen })
  return true
}

/** Keys that arm, mute, remove or leave: they act on a line that plainly has the focus, and nowhere else. */
const ONLY_ON_LINES = ['m', 't', 'y', 'Delete']

function plain(event: KeyboardEvent, state: EditorState, lines: readonly Line[], dispatch: (edit: Edit) => void, deeds: Deeds): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey) return false
  if (ONLY_ON_LINES.includes(event.key) && !isSelectedLine(event.target)) return false
  const at = lines.findIndex((l) => l.path === state.chosen)
  const go = (step: number) => {
    const next = lines[Math.max(0, Math.min(lines.length - 1, at + step))]
    if (!next) return
    dispatch({ do: 'choose', path: next.path })
    focusLine(next.path)
  }
  switch (event.key) {
    case 'j':
      go(1)
      return true
    case 'k':
      go(-1)
      return true
    case 'c':
      dispatch({ do: 'add', kind: 'condition', value: NEW_CLAUSE })
      return true
    case 'a':
      deeds.typeLine()
      return true
    case 'r':
      deeds.rehearse()
      return true
    case 'm':
      if (!canMute(state.document, state.chosen)) return false
      dispatch({ do: 'mute', path: state.chosen })
      return true
    case 'y':
      deeds.arm()
      return true
    case 't':
      deeds.dryRun()
      return true
    case 'Delete':
      dispatch({ do: 'remove', path: state.chosen })
      return true
    default:
      return false
  }
}
