'use client'

import { Check, ChevronDown } from 'lucide-react'
import { Select } from 'radix-ui'
import { useState } from 'react'
import type { ChoiceProps, ListProps } from './option'
import { SearchedChoice } from './searched-choice'

export type { Option } from './option'

/** How many options are looked through without typing. */
const FEW = 14

/** Chooses one of a list; where there are many, or what is typed may be an option too, they are found by typing. A list that grows while it is open, as by fields that were still to come, stays open. */
export function Choice<V extends string>({ startOpen = false, onClose, ...props }: ChoiceProps<V>) {
  const [isOpen, setOpen] = useState(startOpen)
  const onOpenChange = (next: boolean) => {
    setOpen(next)
    if (!next) onClose?.()
  }
  const inside = { ...props, startOpen: isOpen, onOpenChange }
  return props.options.length > FEW || props.typed ? <SearchedChoice {...inside} /> : <ShortChoice {...inside} />
}

/** Chooses one of a short list; a line under the value, the list in a popover. (The primitive reports '' when its options change under it; that is no choice.) */
function ShortChoice<V extends string>({ label, value, options, onChange, placeholder = 'Choose …', disabled, quiet, startOpen, onOpenChange }: ListProps<V>) {
  return (
    <Select.Root
      value={value ?? ''}
      defaultOpen={startOpen}
      onValueChange={(next) => {
        const chosen = options.find((o) => o.value === next)
        if (chosen) onChange(chosen.value)
      }}
      onOpenChange={onOpenChange}
      disabled={disabled}
    >
      <Select.Trigger
        aria-label={label}
        className={`flex items-center gap-2 text-left data-[placeholder]:text-muted ${quiet ? 'min-h-6 text-muted hover:text-ink' : 'blank-line justify-between'}`}
      >
        <span className="truncate">
          <Select.Value placeholder={placeholder} />
        </span>
        <Select.Icon>
          <ChevronDown aria-hidden className="size-3.5 text-muted" />
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-50 max-h-80 min-w-(--radix-select-trigger-width) overflow-hidden rounded-md border border-rule bg-sheet shadow-lg"
        >
          <Select.Viewport className="p-1">
            {options.map((option) => (
              <Select.Item
                key={option.value}
                value={option.value}
                className="flex cursor-pointer items-baseline gap-2 rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-spruce-wash"
              >
                <Select.ItemText>{option.label}</Select.ItemText>
                {option.note && <span className="ml-auto pl-4 text-muted text-xs">{option.note}</span>}
                <Select.ItemIndicator className={option.note ? '' : 'ml-auto'}>
                  <Check aria-hidden className="size-3.5 self-center text-spruce" />
                </Select.ItemIndicator>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  )
}
