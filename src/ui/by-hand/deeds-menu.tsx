'use client'

import { type ComponentProps, useState } from 'react'
import type { RecordId, Stored } from '@/core/values/tables'
import type { Deed } from '@/engine/answers/press'
import { Button } from '../parts/button'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import type { PersonChoice } from '../records/values'
import { useDeeds } from './deeds'
import { PressSheet } from './press-sheet'

/** The workflows that one may run by hand for some records, by their names; one opens its sheet. Nothing where there is none. */
export function Deeds({ table, records, ...rest }: Chosen & { readonly table: string; readonly records: readonly RecordId[] }) {
  const deeds = useDeeds(table).filter((d) => d.per === 'record' || d.per === 'all')
  return <Buttons deeds={deeds} records={records} groups={[]} {...rest} />
}

/** The same where the people were sent with a page. */
export const SentDeeds = ({ people, ...rest }: Omit<ComponentProps<typeof Deeds>, 'people'> & { readonly people: Sent<readonly PersonChoice[]> }) => (
  <Deeds people={useSent(people)} {...rest} />
)

/** The same for the groups of a figure. */
export function GroupDeeds({ figure, groups, ...rest }: Chosen & { readonly figure: string; readonly groups: readonly Stored[] }) {
  const deeds = useDeeds(null).filter((d) => d.over === figure)
  return <Buttons deeds={deeds} records={[]} groups={groups} {...rest} />
}

interface Chosen {
  readonly said: string
  readonly people: readonly PersonChoice[]
  readonly onSent?: () => void
}

function Buttons({ deeds, ...chosen }: Chosen & { readonly deeds: readonly Deed[]; readonly records: readonly RecordId[]; readonly groups: readonly Stored[] }) {
  const [pressing, setPressing] = useState<Deed | null>(null)
  return (
    <>
      {deeds.map((deed) => (
        <Button key={deed.workflow} title={deed.note ?? undefined} onClick={() => setPressing(deed)}>
          {deed.workflow}
        </Button>
      ))}
      {pressing && <PressSheet deed={pressing} {...chosen} onClose={() => setPressing(null)} />}
    </>
  )
}
