'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import type { TableDef } from '@/core/values/tables'
import type { Use } from '@/store/design/mentions'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'
import { useDeed } from '../parts/deed'
import { counted } from '../today/summary'
import { deleteTable, detachTable, saveTable } from './deeds'
import { AskedUses } from './use-list'

/** Putting a table away, and deleting it. */
export function TableEnd({ table, records, uses }: { table: TableDef; records: number; uses: readonly Use[] }) {
  const router = useRouter()
  const [asking, setAsking] = useState(false)
  const { act } = useDeed()
  const { archived, ...rest } = table
  const isTheirs = table.attached !== undefined
  const end = isTheirs ? 'Let go of the table' : 'Delete the table'
  return (
    <section aria-label="The end of it" className="mt-10 flex flex-wrap items-baseline gap-x-6 gap-y-2 border-rule border-t pt-3">
      <Button
        onClick={() =>
          act(() => saveTable(archived ? rest : { ...rest, archived: true }), archived ? `${table.label} is back.` : `${table.label} is put away; it is kept and watched.`)
        }
      >
        {archived ? 'Take the table back' : 'Put the table away'}
      </Button>
      <span className="text-muted text-sm">{archived ? 'It is put away: kept and watched, but not offered.' : 'It stays watched, but is not offered any more.'}</span>
      <Button kind="alarm" className="ml-auto" onClick={() => setAsking(true)}>
        {end}
      </Button>
      <Confirm
        open={asking}
        setOpen={setAsking}
        title={isTheirs ? `Let go of ${table.label}?` : `Delete ${table.label} with ${counted(records, 'record')}?`}
        deed={end}
        leave="Keep it"
        kind="alarm"
        onDeed={async () => {
          const done = `${table.label} is ${isTheirs ? 'let go of, and stays as it is' : 'deleted'}. What was recorded of it stays in the change log.`
          if (await act(() => (isTheirs ? detachTable : deleteTable)(table.name, true), done)) router.push('/records')
        }}
        before={uses.length > 0 && <AskedUses uses={uses} />}
      >
        {isTheirs && 'Its triggers are taken off, and nothing else about it changes. '}
        {uses.length > 0
          ? `These use it. Its live workflows are paused, its templates and figures are deleted${isTheirs ? '' : ' with it'}.`
          : isTheirs
            ? 'Nothing here uses it.'
            : 'Nothing uses it. Deleting it sets nothing off.'}
      </Confirm>
    </section>
  )
}
