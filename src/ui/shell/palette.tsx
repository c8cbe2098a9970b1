'use client'

import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { Dialog } from 'radix-ui'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import { useDebounce } from 'use-debounce'
import { faultOf } from '@/core/must'
import type { FoundAnswer } from '@/engine/answers/lines'
import { call } from '../api'
import { PressSheet } from '../by-hand/press-sheet'
import { Time } from '../parts/time'
import { pastChangesPage } from '../propose/address'
import { WordsField } from '../words/words-field'
import { useGo } from './leaving'
import { type DeedOffer, type Pressing, useDeedOffers } from './palette-deeds'
import { placesOf } from './places'

const OPEN = 'rappel:palette'

/** What begins a workflow that is said in words. */
const BEGINS_WORKFLOW = /^\s*(when|whenever|every|each time|as soon as|by hand,)\s+\S|^\s*(email|tell|notify|send)\s.+\s(when|whenever|every|as soon as)\s+\S/i

/** Opens the palette from anywhere. */
export function openPalette(): void {
  window.dispatchEvent(new Event(OPEN))
}

/** Finds any workflow, record, template, person, run or message and goes to it, or to a place; answers “why …”; opened with Ctrl K. */
export function Palette({ role }: { role: string }) {
  const leaveFor = useGo()
  const [open, setOpen] = useState(false)
  const [text, setText] = useState('')
  const found = useFound(text, open)
  const deeds = useDeedOffers(text, open)
  const [pressing, setPressing] = useState<Pressing | null>(null)
  const press = (offer: DeedOffer) =>
    offer.begin().then(
      (begun) => {
        setOpen(false)
        setText('')
        setPressing(begun)
      },
      (error: unknown) => toast(faultOf(error)),
    )
  useOpening(setOpen)
  const go = (href: string) => {
    setOpen(false)
    setText('')
    void leaveFor(href)
  }
  const item =
    'flex items-baseline gap-3 rounded-sm px-3 py-1.5 data-[selected=true]:bg-spruce-wash data-[selected=true]:[&_.role-word]:text-ink data-[selected=true]:[&_.text-muted]:text-ink'
  if (pressing) return <PressSheet {...pressing} onClose={() => setPressing(null)} />
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next)
        if (!next) setText('')
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-50 w-[min(560px,92vw)] -translate-x-1/2 rounded-md border border-rule bg-sheet shadow-xl"
        >
          <Dialog.Title className="sr-only">Find or do</Dialog.Title>
          {BEGINS_WORKFLOW.test(text) && role !== 'member' ? (
            <div className="max-h-[70vh] overflow-y-auto px-4 py-3">
              <WordsField
                place="palette"
                autoFocus
                begun={text}
                onLeave={() => {
                  setOpen(false)
                  setText('')
                }}
              />
            </div>
          ) : (
            <Command shouldFilter={false} label="Find or do">
              <Command.Input
                autoFocus
                value={text}
                onValueChange={setText}
                placeholder="A workflow, a record, a run, a place, why …, or when …"
                className="w-full border-rule border-b bg-transparent px-4 py-3 font-serif text-lg outline-none"
              />
              <Command.List className="max-h-[50vh] overflow-y-auto p-2">
                <Command.Empty className="px-3 py-4 text-muted">
                  {/^\s*why\b/i.test(text)
                    ? 'Name a record: why did CL-2041 not tell anyone? Its newest changes are offered, each with what every workflow made of it.'
                    : 'Nothing is called that.'}
                </Command.Empty>
                {found.map((f) => (
                  <Command.Item key={f.href} value={f.href} onSelect={() => go(f.href)} className={item}>
                    <span className="role-word w-24 shrink-0 text-muted">{f.kind}</span>
                    <span className="truncate">{f.title}</span>
                    {f.at && (
                      <span className="ml-auto shrink-0 pl-3 text-muted text-xs">
                        <Time at={f.at} />
                      </span>
                    )}
                  </Command.Item>
                ))}
                {deeds.map((offer) => (
                  <Command.Item key={offer.key} value={`deed ${offer.key}`} onSelect={() => void press(offer)} className={item}>
                    <span className="role-word w-24 shrink-0 text-muted">by hand</span>
                    <span className="truncate">{offer.words}</span>
                  </Command.Item>
                ))}
                {placesOf(role)
                  .filter((p) => p.name.toLowerCase().includes(text.toLowerCase()))
                  .map((p) => (
                    <Command.Item key={p.href} value={p.href} onSelect={() => go(p.href)} className={item}>
                      <span className="role-word w-24 shrink-0 text-muted">go to</span>
                      {p.name}
                    </Command.Item>
                  ))}
                {'make a workflow'.includes(text.toLowerCase()) && (
                  <Command.Item value="new workflow" onSelect={() => go('/workflows/new')} className={item}>
                    <span className="role-word w-24 shrink-0 text-muted">do</span>
                    Make a workflow
                  </Command.Item>
                )}
                {role !== 'member' && 'from past changes'.includes(text.toLowerCase()) && (
                  <Command.Item value="past changes" onSelect={() => go(pastChangesPage({}))} className={item}>
                    <span className="role-word w-24 shrink-0 text-muted">do</span>
                    Make a workflow from past changes
                  </Command.Item>
                )}
              </Command.List>
            </Command>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function useOpening(setOpen: (open: boolean) => void): void {
  useEffect(() => {
    const show = () => setOpen(true)
    const onKey = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== 'k' || !(event.ctrlKey || event.metaKey)) return
      event.preventDefault()
      setOpen(true)
    }
    window.addEventListener(OPEN, show)
    window.addEventListener('keydown', onKey)
    return () => {
      window.removeEventListener(OPEN, show)
      window.removeEventListener('keydown', onKey)
    }
  }, [setOpen])
}

function useFound(text: string, open: boolean): readonly FoundAnswer[] {
  const [wanted] = useDebounce(text.trim(), AFTER_TYPING_MS)
  const isAsked = open && wanted.length >= 2
  const { data } = useQuery({
    queryKey: ['find', wanted],
    queryFn: ({ signal }) => call<{ found: FoundAnswer[] }>('GET', `/api/v1/find?text=${encodeURIComponent(wanted)}`, undefined, signal),
    enabled: isAsked,
    placeholderData: keepPreviousData,
  })
  return isAsked ? (data?.found ?? []) : []
}

const AFTER_TYPING_MS = 120
