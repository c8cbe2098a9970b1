'use client'

import { Dialog } from 'radix-ui'
import { useEffect, useRef, useState } from 'react'
import { useGo } from './leaving'
import { areLettersKeys, setLettersKeys } from './letters'
import { PLACES, placesOf } from './places'

/** What takes letters besides fields: lists, whose options are found by them, and what stands over the page. */
const TAKES_LETTERS =
  '[role="listbox"], [role="combobox"], [role="radiogroup"], [role="slider"], [role="dialog"], [role="alertdialog"], [role="menu"], [role="menuitem"], [aria-haspopup="menu"]'

/** Whether a key press is meant for something being typed into or chosen from. */
export function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.closest(TAKES_LETTERS) !== null)
}

/** Whether a single letter may be taken for a key: not while something is typed or chosen, and in an editor only where a line itself has the focus. */
export function isForKeys(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement) || isTyping(target) || !areLettersKeys()) return false
  return isSelectedLine(target) || target.closest('[data-editor]') === null
}

/** Whether a line of a brief itself has the focus. */
export const isSelectedLine = (target: EventTarget | null) => target instanceof HTMLElement && target.dataset.lineButton !== undefined

const LISTED: readonly [keys: string, does: string][] = [
  ['Ctrl K', 'find anything, or do something'],
  ['g then a letter', PLACES.map((p) => `${p.key} ${p.name}`).join(', ')],
  ['j  k', 'next and previous line or row'],
  ['Enter', 'open the line or row'],
  ['Esc', 'fold the line, close what is open'],
  ['c', 'add a condition'],
  ['a', 'add an email'],
  ['Del', 'remove the line'],
  ['r', 'rehearse the brief again'],
  ['t', 'dry run of the brief'],
  ['y', 'to the trial of the brief; Enter arms it'],
  ['m', 'mute the line'],
  ['Alt ↑  Alt ↓', 'move the line up or down'],
  ['Alt →  Alt ←', 'move the line in or out'],
  ['Ctrl C  Ctrl V', 'copy the line, paste a copied one'],
  ['Ctrl Z  Ctrl Shift Z', 'undo, redo'],
  ['Ctrl S', 'save the draft'],
  ['Ctrl Enter', 'send it live (asks)'],
  ['?', 'this list'],
]

/** The keys that work everywhere, and the list of all of them. */
export function Keys({ role }: { role: string }) {
  const go = useGo()
  const [open, setOpen] = useState(false)
  const [areLetters, setLetters] = useState(true)
  // what the browser keeps is known once the page is there
  useEffect(() => setLetters(areLettersKeys()), [])
  const going = useRef(false)
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      // the list of keys, where letters can be switched on again, is always there
      if (event.key === '?' && !isTyping(event.target)) setOpen(true)
      if (!isForKeys(event.target) || event.ctrlKey || event.metaKey || event.altKey) return
      if (going.current) {
        going.current = false
        const place = placesOf(role).find((p) => p.key === event.key)
        if (place) {
          event.preventDefault()
          event.stopImmediatePropagation()
          void go(place.href)
        }
      } else if (event.key === 'g') {
        going.current = true
        setTimeout(() => {
          going.current = false
        }, 1_200)
      }
    }
    window.addEventListener('keydown', onKey, true)
    return () => window.removeEventListener('keydown', onKey, true)
  }, [go, role])
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[6vh] left-1/2 z-50 max-h-[88vh] w-[min(520px,92vw)] -translate-x-1/2 overflow-y-auto rounded-md border border-rule bg-sheet px-6 py-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 font-serif text-xl">Keys</Dialog.Title>
          <dl>
            {LISTED.map(([keys, does]) => (
              <div key={keys} className="grid grid-cols-[10rem_1fr] gap-4 border-rule border-t py-1.5">
                <dt className="font-mono text-xs leading-5">{keys}</dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
          <label className="mt-4 flex items-baseline gap-2 border-rule border-t pt-3">
            <input
              type="checkbox"
              className="accent-spruce"
              checked={areLetters}
              onChange={(event) => {
                setLettersKeys(event.target.checked)
                setLetters(event.target.checked)
              }}
            />
            <span>Single letters act as keys, in this browser</span>
          </label>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
