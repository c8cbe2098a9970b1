'use client'

import { useDeferredValue, useEffect, useEffectEvent, useMemo, useRef, useState } from 'react'
import type { Workflow } from '@/core/document/document'
import { MOST_READ } from '@/core/words/read/tokens'
import type { WordsIn } from '@/core/words/read/words-in'
import { Button } from '../parts/button'
import { useGo } from '../shell/leaving'
import { handOver } from './hand-over'
import { MarkedText, Marks } from './marked-text'
import type { Typed } from './reading'
import { useWords } from './use-words'

interface Props extends Typed {
  /** Where the field stands, under which what is typed is kept while the page is left and come back to. */
  readonly place: string
  readonly autoFocus?: boolean
  /** Text that it begins with. */
  readonly begun?: string
  readonly label?: string
  /** What is done besides, once it leads away. */
  readonly onLeave?: () => void
}

const NONE: WordsIn = { workflow: null, unread: [], completions: { from: 0, words: [] } }

const readBy = (words: ReturnType<typeof useWords>, text: string, table: string | undefined): WordsIn =>
  words && text.trim() !== '' ? words.reading.read(text, words, { table }) : NONE

/** The one field in which workflows are said in words: the brief stands below as one types, and opens by Enter, or is asked to go live by Ctrl Enter. */
export function WordsField({ place, table, where, template, autoFocus = false, begun = '', label = 'Make a workflow by saying it', onLeave }: Props) {
  const [text, setText] = useKept(place, begun)
  const [isWanted, setWanted] = useState(autoFocus || begun !== '')
  const [way, setWay] = useState(0)
  const [pressed, setPressed] = useState<{ live: boolean } | null>(null)
  const field = useRef<HTMLTextAreaElement>(null)
  // the caret stands behind what it begins with
  useEffect(() => {
    if (begun !== '') field.current?.setSelectionRange(begun.length, begun.length)
  }, [begun])
  const words = useWords(isWanted || text !== '')
  const shown = useDeferredValue(text)
  const said = useMemo(() => readBy(words, shown, table), [shown, words, table])
  const go = useGo()
  const made = (from: Workflow | null) => words?.reading.madeOf(from, words, { where, template }) ?? null
  const workflow = made(said.readings?.[way]?.workflow ?? said.workflow)
  const unread = words ? words.reading.unfinishedLeftOut(said, shown) : []
  const [completion] = said.completions.words
  const put = (next: string) => {
    setText(next)
    setWay(0)
    setPressed(null)
  }
  const take = (from: number, to: number, put_: string) => {
    put(`${text.slice(0, from)}${put_}${text.slice(to) || ' '}`)
    field.current?.focus()
  }
  const leave = (live: boolean) => {
    if (!words && text.trim() !== '') return setPressed({ live }) // as soon as what words mean is there
    // what was typed last may not be read yet
    const now = shown === text ? workflow : made(readBy(words, text, table).workflow)
    if (!now) return
    setText('')
    onLeave?.()
    void go(handOver({ workflow: now, live }))
  }
  const leavePressed = useEffectEvent(() => {
    if (pressed) leave(pressed.live)
    setPressed(null)
  })
  useEffect(() => {
    if (words) leavePressed()
  }, [words])
  return (
    <div data-words>
      <textarea
        ref={field}
        rows={Math.min(8, text.split('\n').length)}
        aria-label={label}
        // biome-ignore lint/a11y/noAutofocus: it opens to be typed into
        autoFocus={autoFocus}
        value={text}
        maxLength={1_000_000}
        spellCheck={false}
        placeholder={template ? 'it is created, email its owner' : table ? 'it becomes …, email its owner' : 'When a claim becomes Settled, email its owner …'}
        className="field-sizing-content block max-h-60 w-full resize-none border-rule border-b-2 bg-transparent py-1.5 font-serif text-xl leading-snug outline-none focus:border-rope-mark"
        onFocus={() => setWanted(true)}
        onChange={(event) => put(event.target.value)}
        onKeyDown={(event) => {
          if (event.nativeEvent.isComposing) return
          if (event.key === 'Tab' && !event.shiftKey && completion && event.currentTarget.selectionStart === text.length) {
            event.preventDefault()
            take(said.completions.from, text.length, completion)
          } else if (event.key === 'Enter' && !event.shiftKey) {
            event.preventDefault()
            leave(event.ctrlKey || event.metaKey)
          }
        }}
      />
      {text.trim() !== '' && words && (
        <>
          {said.completions.words.length > 0 && (
            <p className="mt-1 text-muted text-sm">
              <span className="font-mono text-xs">Tab</span>{' '}
              {said.completions.words.slice(0, 8).map((offered, i) => (
                <button
                  key={offered}
                  type="button"
                  tabIndex={-1}
                  className={`mr-3 hover:underline ${i === 0 ? 'text-spruce' : ''}`}
                  onClick={() => take(said.completions.from, text.length, offered)}
                >
                  {offered}
                </button>
              ))}
            </p>
          )}
          {unread.length > 0 && <MarkedText text={shown.slice(0, MOST_READ)} unread={unread} />}
          {unread.length > 0 && <Marks text={shown} unread={unread} onTake={take} />}
          {said.readings && (
            <fieldset className="mt-2 text-sm">
              <legend className="text-muted">This can be meant in {said.readings.length} ways:</legend>
              {said.readings.map((one, i) => (
                <label key={one.words} className="block py-0.5">
                  <input type="radio" name={`way ${place}`} className="mr-2 accent-spruce" checked={way === i} onChange={() => setWay(i)} />
                  {one.words}
                </label>
              ))}
            </fieldset>
          )}
          {workflow && <words.reading.LiveBrief workflow={workflow} words={words} />}
          {workflow && (
            <p className="mt-2 flex items-center gap-5">
              <Button kind="main" onClick={() => leave(true)}>
                Send it live
              </Button>
              <Button shortcut="Enter" onClick={() => leave(false)}>
                Open its brief
              </Button>
              <span className="font-mono text-muted text-xs">Ctrl Enter sends it live</span>
            </p>
          )}
        </>
      )}
    </div>
  )
}

/** A text that is kept while its page is left and come back to. */
function useKept(place: string, begun: string): readonly [string, (text: string) => void] {
  const key = `rappel:typed ${place}`
  const [text, setText] = useState(begun)
  // it is read once the page is there, since the server knows nothing of it
  useEffect(() => {
    const kept = window.sessionStorage.getItem(key)
    if (kept && begun === '') setText(kept)
  }, [key, begun])
  const put = (next: string) => {
    setText(next)
    window.sessionStorage.setItem(key, next)
  }
  return [text, put]
}
