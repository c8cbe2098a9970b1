'use client'

import { Command } from 'cmdk'
import { Check, ChevronDown } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useMemo, useState } from 'react'
import { beginsInOrder } from '@/core/values/begins'
import type { ListProps } from './option'

/** Most options that are drawn at once; typing finds the others. */
const MOST_DRAWN = 80

/** Chooses one of many by typing: what begins so stays, in order; only as many are drawn as are looked at. */
export function SearchedChoice<V extends string>({ label, value, options, onChange, placeholder = 'Choose …', disabled, quiet, startOpen, onOpenChange, typed }: ListProps<V>) {
  const [isOpen, setOpen] = useState(startOpen)
  const [text, setText] = useState('')
  const shown = useMemo(() => {
    const own = typed?.(text.trim()) ?? null
    const found = options.filter((o) => beginsInOrder(`${o.label} ${o.note ?? ''}`, text))
    return { all: own ? [own, ...found] : found, more: Math.max(0, found.length - MOST_DRAWN) }
  }, [options, text, typed])
  const open = (next: boolean) => {
    setOpen(next)
    setText('')
    onOpenChange(next)
  }
  const chosen = options.find((o) => o.value === value)
  return (
    <Popover.Root open={isOpen} onOpenChange={open}>
      <Popover.Trigger asChild disabled={disabled}>
        <button
          type="button"
          role="combobox"
          aria-expanded={isOpen}
          aria-label={label}
          title={chosen?.label}
          className={`flex items-center gap-2 text-left ${chosen ? '' : 'text-muted'} ${quiet ? 'min-h-6 text-muted hover:text-ink' : 'blank-line justify-between'}`}
        >
          <span className="truncate">{chosen?.label ?? placeholder}</span>
          <ChevronDown aria-hidden className="size-3.5 text-muted" />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label={label}
          className="z-50 max-w-[92vw] min-w-(--radix-popover-trigger-width) overflow-hidden rounded-md border border-rule bg-sheet shadow-lg"
        >
          <Command shouldFilter={false} label={label} defaultValue={chosen ? `${chosen.value}` : undefined}>
            <Command.Input value={text} onValueChange={setText} placeholder="Type to find …" className="w-full border-rule border-b bg-transparent px-3 py-1.5 outline-none" />
            <Command.List className="max-h-72 overflow-y-auto p-1">
              <Command.Empty className="px-3 py-2 text-muted">None begins so.</Command.Empty>
              {shown.all.slice(0, MOST_DRAWN).map((option) => (
                <Command.Item
                  key={option.value}
                  value={option.value}
                  aria-label={option.note ? `${option.label} ${option.note}` : option.label}
                  onSelect={() => {
                    onChange(option.value)
                    open(false)
                  }}
                  className="flex cursor-pointer items-baseline gap-2 rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash"
                >
                  <span>{option.label}</span>
                  {option.note && <span className="ml-auto pl-4 text-muted text-xs">{option.note}</span>}
                  {option.value === value && <Check aria-hidden className={`size-3.5 self-center text-spruce ${option.note ? '' : 'ml-auto'}`} />}
                </Command.Item>
              ))}
              {shown.more > 0 && <p className="px-2 py-1 text-muted text-sm">and {shown.more.toLocaleString('en-GB')} more: type to find them</p>}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
