'use client'

import { useRouter } from 'next/navigation'
import { DropdownMenu } from 'radix-ui'
import type { TableDef } from '@/core/values/tables'
import { startersOf } from '@/core/workflow/starters'

/** Workflows to begin with, drawn from the table's own fields; one opens as a finished draft at the line that still wants an answer. */
export function Starters({ table, mine }: { table: TableDef; mine: string | null }) {
  const router = useRouter()
  const open = (key: string | null) => router.push(`/workflows/new?table=${table.name}${key ? `&starter=${encodeURIComponent(key)}` : ''}`)
  const item = 'cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-spruce-wash'
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="text-spruce text-sm hover:underline">{mine ? 'Tell me when …' : 'Tell somebody when …'}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className="z-50 min-w-64 rounded-md border border-rule bg-sheet p-1 shadow-lg">
          {startersOf(table, mine).map((starter) => (
            <DropdownMenu.Item key={starter.key} onSelect={() => open(starter.key)} className={item}>
              {starter.words}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-rule" />
          <DropdownMenu.Item onSelect={() => open(null)} className={item}>
            something else: start from nothing
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
