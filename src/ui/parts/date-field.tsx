'use client'

import { CalendarDays } from 'lucide-react'
import { Popover } from 'radix-ui'
import { type KeyboardEvent, useState } from 'react'
import { DayPicker } from 'react-day-picker'
import { isDay, isInstant } from '@/core/values/dates'
import { plainDay, plainInstant, typedDay, typedInstant, waysOf } from '@/core/values/plain'
import { useOrganisation } from './organisation'

interface Props {
  readonly label: string
  /** A day (`2026-12-31`), or with `clock` a moment (ISO 8601); also what was typed and is neither, which is shown as it is. */
  readonly value: string
  /** Takes a day or a moment; what is neither as it was typed, and a blank text. */
  readonly onChange: (value: string) => void
  /** Whether it is of a moment rather than of a day. */
  readonly clock?: boolean
  readonly className?: string
  readonly autoFocus?: boolean
  readonly disabled?: boolean
  /** When the field is left, for its own calendar aside. */
  readonly onBlur?: () => void
  readonly onKeyDown?: (event: KeyboardEvent) => void
}

const CALENDAR = {
  root: 'font-sans text-sm',
  months: 'relative',
  month_caption: 'flex h-7 items-center font-serif text-base',
  nav: 'absolute top-0 right-0 flex gap-1',
  button_previous: 'min-h-6 min-w-6 text-spruce',
  button_next: 'min-h-6 min-w-6 text-spruce',
  chevron: 'size-4 fill-current',
  weekday: 'h-6 w-8 font-normal text-muted text-xs',
  day: 'p-0 text-center',
  day_button: 'figures size-8 rounded-sm hover:bg-spruce-wash',
  selected: '[&>button]:bg-spruce [&>button]:text-paper',
  today: 'font-semibold text-rope',
  outside: 'text-muted opacity-60',
} as const

/** A day, or a moment, typed in the organisation's way or picked from a calendar. */
export function DateField({ label, value, onChange, clock = false, className = 'blank-line', autoFocus, disabled, onBlur, onKeyDown }: Props) {
  const { locale, zone } = useOrganisation()
  const { dates } = waysOf(locale)
  const [typed, setTyped] = useState<{ readonly text: string; readonly of: string } | null>(null)
  const [isOpen, setOpen] = useState(false)
  const isKnown = clock ? isInstant(value) : isDay(value)
  const shown = !isKnown ? value : clock ? typedInstant(value, dates, zone) : typedDay(value, dates)
  const read = (text: string) => (clock ? plainInstant(text, dates, zone) : plainDay(text, dates))
  const put = (text: string) => {
    const next = read(text) ?? text
    setTyped({ text, of: next })
    onChange(next)
  }
  const day = !isKnown ? null : clock ? plainDay(shown.slice(0, 10), dates) : value
  const chosen = day === null ? undefined : localDay(day)
  const pick = (date: Date | undefined) => {
    setOpen(false)
    if (!date) return
    const iso = [date.getFullYear(), date.getMonth() + 1, date.getDate()].map((n) => String(n).padStart(2, '0')).join('-')
    const time = clock && isKnown ? shown.slice(11) : '00:00'
    put(clock ? `${typedDay(iso, dates)} ${time}` : typedDay(iso, dates))
  }
  return (
    <span className="flex items-baseline gap-1">
      <input
        aria-label={label}
        className={className}
        // biome-ignore lint/a11y/noAutofocus: it opens to be typed into
        autoFocus={autoFocus}
        disabled={disabled}
        placeholder={typedDay('2026-12-31', dates) + (clock ? ' 14:30' : '')}
        value={typed && typed.of === value ? typed.text : shown}
        onChange={(event) => put(event.target.value)}
        onBlur={() => {
          setTyped(null)
          if (!isOpen) onBlur?.()
        }}
        onKeyDown={onKeyDown}
      />
      <Popover.Root open={isOpen} onOpenChange={setOpen}>
        <Popover.Trigger
          type="button"
          aria-label="Calendar"
          disabled={disabled}
          className="inline-flex min-h-6 min-w-6 items-center justify-center text-muted hover:text-ink"
          onMouseDown={(event) => event.preventDefault()} // the field keeps the focus, so that opening the calendar is not leaving it
        >
          <CalendarDays aria-hidden className="size-4" />
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="end" sideOffset={4} className="z-50 rounded-md border border-rule bg-sheet p-3 shadow-lg">
            <DayPicker
              mode="single"
              autoFocus
              selected={chosen}
              defaultMonth={chosen}
              onSelect={pick}
              weekStartsOn={dates === 'mdy' ? 0 : 1}
              showOutsideDays
              classNames={CALENDAR}
            />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  )
}

/** A calendar day as the calendar takes it: noon of it here, so that no zone moves it. */
function localDay(iso: string): Date {
  const [year = 0, month = 1, day = 1] = iso.split('-').map(Number)
  return new Date(year, month - 1, day, 12)
}
