'use client'

import { useMemo, useRef, useState } from 'react'
import { textToHtml } from '@/core/message/text'
import { WHAT_CHANGED } from '@/core/message/what-changed'
import { Choice } from '../../parts/choice'
import type { CodeHandle } from '../../parts/code-field'
import { usePlace } from '../place'
import { protectLiquid, restored } from './liquid-html'
import { PlaceholderPicker } from './placeholder-picker'
import { PlaceholderText } from './placeholder-text'
import { tableOf, tablesAt } from './repeated'
import { type BodyHandle, RichBody } from './rich-body'
import { SourceField } from './source-field'

/** Puts a text where the caret of a field stands, in the place of what is chosen there. */
function insertInto(area: HTMLTextAreaElement | HTMLInputElement | null, old: string, text: string, give: (next: string) => void): void {
  const at = area?.selectionStart ?? old.length
  const end = area?.selectionEnd ?? at
  give(old.slice(0, at) + text + old.slice(end))
  requestAnimationFrame(() => {
    area?.focus()
    area?.setSelectionRange(at + text.length, at + text.length)
  })
}

/** The subject, with placeholders to put in. */
export function SubjectField({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const field = useRef<HTMLInputElement | HTMLTextAreaElement>(null)
  return (
    <div>
      <div className="flex items-baseline justify-between">
        <span className="text-muted text-xs">Subject</span>
        <PlaceholderPicker label="Placeholder for the headline" onPick={(source) => insertInto(field.current, value, source, onChange)} />
      </div>
      <PlaceholderText label="Subject" className="blank-line font-serif text-lg" value={value} onChange={onChange} field={field} />
    </div>
  )
}

interface Props {
  readonly value: string
  readonly format: 'rich' | 'plain'
  readonly onChange: (body: string) => void
  readonly onFormat: (format: 'rich' | 'plain', body: string) => void
  /** Whether lists that a table of rows needs can be brought in with it. */
  readonly canBringIn?: boolean
}

/** The body: as it will look, as its source, or as plain text. */
export function BodyField({ value, format, onChange, onFormat, canBringIn = false }: Props) {
  const place = usePlace()
  const { setting, document } = place
  const [each, setEach] = useState<string | null>(null)
  const images = setting.files.filter((f) => /\.(png|jpe?g|gif|webp)$/i.test(f.name))
  const tables = useMemo(() => tablesAt(place, canBringIn), [place, canBringIn])
  const rows = useMemo(() => tables.map((t) => ({ source: t.list.name, words: t.words.replace(/^table of/, 'rows of'), path: null })), [tables])
  const [source, setSource] = useState(false)
  const [unmodelled, setUnmodelled] = useState(false)
  const rich = useRef<BodyHandle>(null)
  const code = useRef<CodeHandle>(null)
  const area = useRef<HTMLInputElement | HTMLTextAreaElement>(null)
  const isRich = format === 'rich' && !source && !unmodelled
  const insert = (text: string) => (isRich ? rich.current?.insert(text) : format === 'rich' ? code.current?.insert(text) : insertInto(area.current, value, text, onChange))
  const putTable = (name: string) => {
    const offer = tables.find((t) => t.list.name === name)
    if (!offer) return
    if (offer.bringIn) place.put('/bringIn', [...(document.bringIn ?? []), offer.bringIn])
    rich.current?.insertTable(tableOf(offer.list, place.table))
  }
  const way = format === 'plain' ? 'plain' : isRich ? 'rich' : 'source'
  const setWay = (next: string) => {
    setSource(next === 'source')
    setUnmodelled(false)
    if (next === 'plain' && format === 'rich') onFormat('plain', value)
    if (next !== 'plain' && format === 'plain') onFormat('rich', value.trim() ? textToHtmlKeepingLiquid(value) : '')
  }
  return (
    <div>
      <div className="flex flex-wrap items-baseline justify-between gap-x-6">
        <span className="text-muted text-xs">Body</span>
        <div className="flex items-baseline gap-6">
          <div className="w-36">
            <Choice
              label="Written as"
              value={way}
              options={[
                { value: 'rich', label: 'formatted' },
                { value: 'source', label: 'source' },
                { value: 'plain', label: 'plain text' },
              ]}
              onChange={setWay}
            />
          </div>
          {isRich && (tables.length > 0 || images.length > 0) && (
            <div className="w-40">
              <Choice
                label="Put in more"
                value={null}
                placeholder="Put in more …"
                options={[
                  ...tables.map((t) => ({ value: `table ${t.list.name}`, label: t.words, note: 'rows' })),
                  ...images.map((f) => ({ value: `image ${f.name}`, label: f.name, note: 'image' })),
                ]}
                onChange={(v) => (v.startsWith('image ') ? rich.current?.insertImage(v.slice(6)) : putTable(v.slice(6)))}
              />
            </div>
          )}
          <PlaceholderPicker
            label="Placeholder for the text"
            more={isRich ? [] : [{ source: WHAT_CHANGED, words: 'what changed, from what to what' }]}
            each={isRich ? each : null}
            onPick={insert}
          />
        </div>
      </div>
      {unmodelled && <p className="text-rope text-sm">This text holds what the formatted view would lose, so it is edited as its source.</p>}
      {isRich ? (
        <RichBody
          label="Body"
          files={setting.files}
          value={value}
          onChange={onChange}
          onUnmodelled={() => setUnmodelled(true)}
          handle={rich}
          onRepetition={setEach}
          rows={rows}
          onRows={putTable}
        />
      ) : way === 'source' ? (
        <SourceField label="Body" value={value} onChange={onChange} handle={code} />
      ) : (
        <PlaceholderText
          label="Body"
          rows={9}
          className="blank-line mt-1 border border-rule bg-sheet px-3 py-2 font-serif text-base leading-relaxed"
          value={value}
          onChange={onChange}
          field={area}
        />
      )}
    </div>
  )
}

/** Plain text as HTML with its Liquid as it was. */
function textToHtmlKeepingLiquid(text: string): string {
  const { html, kept } = protectLiquid(text)
  return restored(textToHtml(html).replaceAll('<br>\n', '<br>'), kept, (source) => source)
}
