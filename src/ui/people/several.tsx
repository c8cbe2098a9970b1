'use client'

import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useDebounce } from 'use-debounce'
import { faultOf } from '@/core/must'
import type { Added } from '@/engine/people/add'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { useUnsaved } from '../shell/leaving'
import { counted } from '../today/summary'
import type { ListedPerson } from './listed'

/** After a pause that long, what was pasted is read. */
const SOON_MS = 250

/** People and problems that are shown of what was read. */
const SHOWN = 12

const read = (text: string, look: boolean) => call<Added>('POST', '/api/v1/people', { text, look })

/** People pasted from a spreadsheet, or as a list of addresses: who they would be, before they are added. */
export function Several({ people, onDone }: { people: readonly ListedPerson[]; onDone: () => void }) {
  const [text, setText] = useState('')
  const [given] = useDebounce(text.trim(), SOON_MS)
  const { busy, act } = useDeed()
  useUnsaved(text.trim() !== '' && !busy, 'people who are not added yet')
  const { data, error } = useQuery({ queryKey: ['people that were pasted', given], queryFn: () => read(given, true), enabled: given !== '', retry: false, gcTime: 0 })
  const found = given === '' ? undefined : data
  const of = (is: 'new' | 'changed' | 'same') => found?.people.filter((p) => p.is === is).length ?? 0
  const deed = [...(of('new') ? [`Add ${counted(of('new'), 'person', 'people')}`] : []), ...(of('changed') ? [`${of('new') ? 'change' : 'Change'} ${of('changed')}`] : [])].join(
    ', ',
  )
  const nameOf = (email: string) => [...(found?.people ?? []), ...people].find((p) => p.email === email)?.name ?? email
  const add = async () => {
    if (await act(() => read(given, false), `${counted(of('new'), 'person is', 'people are')} added${of('changed') ? `, ${of('changed')} changed` : ''}.`)) onDone()
  }
  return (
    <form
      aria-label="Add several"
      className="grid max-w-3xl gap-3 py-2"
      onSubmit={(event) => {
        event.preventDefault()
        void add()
      }}
    >
      <Labelled
        label="Rows of a spreadsheet, or addresses"
        note="Headings such as Name, E-mail, Team, Manager say what is what; of somebody who is here already what the rows say is changed."
      >
        <textarea aria-label="Rows of a spreadsheet, or addresses" rows={5} className="blank-line font-mono text-sm" value={text} onChange={(e) => setText(e.target.value)} />
      </Labelled>
      {error && given !== '' && <p className="text-alarm text-sm">{faultOf(error)}</p>}
      {found && (
        <>
          <ul aria-label="Who they would be" className="border-rule border-b text-sm">
            {found.people.slice(0, SHOWN).map((p) => (
              <li key={p.email} className="grid grid-cols-[minmax(0,1.1fr)_minmax(0,1.6fr)_minmax(0,0.8fr)_minmax(0,1fr)_6rem] items-baseline gap-4 border-rule border-t py-1.5">
                <span className="truncate font-serif text-base">{p.name}</span>
                <span className="truncate text-muted">{p.email}</span>
                <span className="truncate text-muted">{p.team}</span>
                <span className="truncate text-muted">{p.manager && `to ${nameOf(p.manager)}`}</span>
                <span className={`text-right ${p.is === 'new' ? 'text-calm' : 'text-muted'}`}>{p.is === 'same' ? 'here already' : p.is}</span>
              </li>
            ))}
          </ul>
          {found.people.length > SHOWN && <p className="text-muted text-sm">And {counted(found.people.length - SHOWN, 'more', 'more')}.</p>}
          {found.problems.slice(0, SHOWN).map(({ row, message }) => (
            <p key={`${row} ${message}`} className="text-rope text-sm">
              Row {row}: {message}
            </p>
          ))}
          {found.problems.length > SHOWN && <p className="text-rope text-sm">And {found.problems.length - SHOWN} more rows are left out or wanting.</p>}
          {found.leftOut.length > 0 && <p className="text-muted text-sm">Not taken: {found.leftOut.join(', ')}.</p>}
        </>
      )}
      <div className="flex gap-6">
        <Button kind="main" type="submit" disabled={busy || deed === '' || given !== text.trim()}>
          {deed || 'Add them'}
        </Button>
        <Button onClick={onDone}>Leave it</Button>
      </div>
    </form>
  )
}
