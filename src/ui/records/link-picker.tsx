'use client'

import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { ChevronDown } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useState } from 'react'
import { useDebounce } from 'use-debounce'
import { type FieldDef, type Image, idOf, type RecordId, type Stored } from '@/core/values/tables'
import { call } from '../api'
import { useTables } from './tables-context'

interface Props {
  readonly field: FieldDef
  readonly value: Stored
  readonly title?: string
  readonly onPick: (value: Stored) => void
  /** Opened at once, as where it stands in for a value that is edited. */
  readonly startOpen?: boolean
  /** Told when it is closed and nothing was chosen. */
  readonly onClose?: () => void
}

/** Chooses the record a link points at, found by its title as one types. */
export function LinkPicker({ field, value, title, onPick, startOpen = false, onClose }: Props) {
  const [open, setOpen] = useState(startOpen)
  const turn = (isOpen: boolean) => {
    setOpen(isOpen)
    if (!isOpen) onClose?.()
  }
  const [text, setText] = useState('')
  const target = useTables().get(field.table ?? '')
  const records = useMatches(field.table ?? '', target?.titleField ?? 'id', text, open)
  const pick = (id: RecordId | null) => {
    setOpen(false)
    onPick(id)
  }
  const item = 'rounded-sm px-2 py-1 data-[selected=true]:bg-spruce-wash'
  return (
    <Popover.Root open={open} onOpenChange={turn}>
      <Popover.Trigger aria-label={field.label} className="blank-line flex items-center justify-between gap-2 text-left">
        <span className={`truncate ${value === null ? 'text-muted' : ''}`}>{value === null ? 'blank' : (title ?? `${field.table} ${value}`)}</span>
        <ChevronDown aria-hidden className="size-3.5 text-muted" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} className="z-50 w-72 rounded-md border border-rule bg-sheet shadow-lg">
          <Command shouldFilter={false} label={`Find a ${target?.singular ?? 'record'}`}>
            <Command.Input
              autoFocus
              value={text}
              onValueChange={setText}
              placeholder={`Find a ${target?.singular ?? 'record'} …`}
              className="w-full border-rule border-b bg-transparent px-3 py-2 outline-none"
            />
            <Command.List className="max-h-64 overflow-y-auto p-1">
              <Command.Empty className="px-2 py-2 text-muted">None is called that.</Command.Empty>
              {records.map((r) => (
                <Command.Item key={String(r.id)} value={String(r.id)} onSelect={() => pick(idOf(r))} className={item}>
                  {String(r[target?.titleField ?? 'id'] ?? r.id)}
                </Command.Item>
              ))}
              {!field.required && value !== null && (
                <Command.Item value="blank" onSelect={() => pick(null)} className={`${item} text-muted`}>
                  leave it blank
                </Command.Item>
              )}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

const AFTER_TYPING_MS = 100

function useMatches(table: string, titleField: string, text: string, open: boolean): readonly Image[] {
  const [wanted] = useDebounce(text.trim(), AFTER_TYPING_MS)
  const where = wanted ? `&where=${encodeURIComponent(JSON.stringify({ field: titleField, op: 'contains', value: wanted }))}` : ''
  const { data } = useQuery({
    queryKey: ['records', table, wanted],
    queryFn: ({ signal }) => call<{ records: Image[] }>('GET', `/api/v1/records/${table}?limit=30&order=${titleField}${where}`, undefined, signal),
    enabled: open,
    placeholderData: keepPreviousData,
  })
  return data?.records ?? []
}
