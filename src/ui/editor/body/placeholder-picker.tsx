'use client'

import { Command } from 'cmdk'
import { Popover } from 'radix-ui'
import { useRef, useState } from 'react'
import { must } from '@/core/must'
import { type Place, pathsAt, usePlace } from '../place'
import { placeInBlock } from './repeated'

interface Props {
  readonly label: string
  readonly onPick: (source: string) => void
  readonly more?: readonly { source: string; words: string }[]
  /** The repetition that the caret is in, whose entry has placeholders too. */
  readonly each?: string | null
}

/** A placeholder that can be put into a text. */
export interface PlaceholderOffer {
  readonly source: string
  readonly words: string
  readonly path: string | null
}

/** Placeholders by path, each with its value for the sample record and how often it is blank; one is put into the text. */
export function PlaceholderPicker({ label, onPick, more = [], each = null }: Props) {
  const place = usePlace()
  const [open, setOpen] = useState(false)
  const picked = useRef<string | null>(null)
  const pick = (source: string) => {
    picked.current = source
    setOpen(false)
  }
  /** Once the list is gone: the text has the focus again, with the placeholder in it; where none was chosen, the button has it. */
  const putIn = (event: Event) => {
    if (picked.current === null) return
    event.preventDefault()
    onPick(picked.current)
    picked.current = null
  }
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger aria-label={label} className="min-h-6 text-spruce text-sm hover:underline">
        Put in a placeholder …
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={4} onCloseAutoFocus={putIn} className="z-50 w-[460px] rounded-md border border-rule bg-sheet shadow-lg">
          <Command label={label}>
            <Command.Input autoFocus placeholder="Which? Type a part of its name" className="w-full border-rule border-b bg-transparent px-3 py-2 outline-none" />
            <Command.List className="max-h-72 overflow-y-auto p-1">
              <Command.Empty className="px-3 py-3 text-muted">Nothing here is called that.</Command.Empty>
              {offersAt(place, more, each).map((offer) => {
                const known = offer.path === null ? undefined : place.placeholders.get(offer.path)
                return (
                  <Command.Item
                    key={offer.source}
                    value={offer.words}
                    onSelect={() => pick(offer.source)}
                    className="grid cursor-pointer grid-cols-[minmax(0,1fr)_minmax(0,11rem)] gap-3 rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash"
                  >
                    <span className="truncate">{offer.words}</span>
                    <span className="truncate text-right text-muted text-sm">
                      {known && (known.value || 'blank here')}
                      {known && known.blank > 0.05 && <span className="pl-2 text-rope">{Math.round(known.blank * 100)} % blank</span>}
                    </span>
                  </Command.Item>
                )
              })}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Every path that a text can name at a place, written as Liquid writes it, in words, and as the evidence knows it. */
export function sourcesAt(place: Place): { path: string; words: string; known: string; type: string }[] {
  const { table } = place
  const isOwn = (path: string) => !place.roots.has(must(path.split('.')[0]))
  const { cue } = place.document
  const isBefore = (path: string) => path.startsWith('before.')
  const hasBefore = cue.kind === 'record' && cue.on.some((kind) => kind !== 'created')
  return pathsAt(place)
    .filter((o) => o.value !== 'id' && !o.value.endsWith('.id') && (hasBefore || !isBefore(o.value)))
    .sort((a, b) => Number(isBefore(a.value)) - Number(isBefore(b.value)))
    .map((o) => ({
      path: `${isOwn(o.value) ? `${table.singular}.` : ''}${o.value}`,
      words: isOwn(o.value) ? `${table.singular.replaceAll('_', ' ')}’s ${o.label}` : o.label,
      known: o.value,
      type: o.note ?? '',
    }))
}

/** Placeholders that can be put in at a place: what the workflow names already first, then those of now before those of before. */
export function offersAt(given: Place, more: Props['more'], each: string | null = null): PlaceholderOffer[] {
  const place = placeInBlock(given, each)
  const said = JSON.stringify(place.document)
  const isNamed = ({ known }: { known: string }) => said.includes(`"${known}"`) || said.includes(`.${known} `)
  const sources = sourcesAt(place)
  return [
    ...[...sources.filter(isNamed), ...sources.filter((s) => !isNamed(s))].map(({ path, words, known }) => ({ source: `{{ ${path} }}`, words, path: known })),
    { source: '{{ recipient.name }}', words: 'recipient’s name', path: null },
    { source: '{{ recipient.first_name | default: "colleague" }}', words: 'recipient’s first name', path: null },
    { source: '{{ change.by.name }}', words: 'who made the change', path: null },
    { source: '{{ change.at }}', words: 'when it was changed', path: null },
    { source: '{{ link }}', words: 'link to the record', path: null },
    { source: '{{ why }}', words: 'link to why one got it', path: null },
    ...(more ?? []).map((m) => ({ ...m, path: null })),
  ]
}
