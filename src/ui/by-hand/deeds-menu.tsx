'use client'

import { useState } from 'react'
import type { RecordId } from '@/core/values/tables'
import type { Deed } from '@/engine/answers/press'
import { Button } from '../parts/button'
import type { PersonChoice } from '../records/values'
import { useDeeds } from './deeds'
import { PressSheet } from './press-sheet'

/** The workflows that one may run by hand for some records, by their names; one opens its sheet. Nothing where there is none. */
export function Deeds({
  table,
  records,
  said,
  people,
  onSent,
}: {
  table: string
  records: readonly RecordId[]
  said: string
  people: readonly PersonChoice[]
  onSent?: () => void
}) {
  const deeds = useDeeds(table).filter((d) => d.per !== 'none')
  const [pressing, setPressing] = useState<Deed | null>(null)
  if (deeds.length === 0) return null
  return (
    <>
      {deeds.map((deed) => (
        <Button key={deed.workflow} title={deed.note ?? undefined} onClick={() => setPressing(deed)}>
          {deed.workflow}
        </Button>
      ))}
      {pressing && <PressSheet deed={pressing} records={records} said={said} people={people} onClose={() => setPressing(null)} onSent={onSent} />}
    </>
  )
}
