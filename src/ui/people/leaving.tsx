'use client'

import { useState } from 'react'
import { toast } from 'sonner'
import { call } from '../api'
import { Button } from '../parts/button'
import { Choice } from '../parts/choice'
import { Confirm } from '../parts/confirm'
import { useDeed } from '../parts/deed'
import type { ListedPerson } from './listed'

interface Uses {
  readonly workflows: readonly string[]
  readonly groups: readonly string[]
  readonly manages: readonly string[]
}

const NOBODY = '\u0000nobody'

/** Deactivates somebody: says what it touches first, and asks who takes over. */
export function Leaving({ person, people }: { person: ListedPerson; people: readonly ListedPerson[] }) {
  const [uses, setUses] = useState<Uses | null>(null)
  const [successor, setSuccessor] = useState(NOBODY)
  const { act } = useDeed()
  const path = `/api/v1/people/${encodeURIComponent(person.email)}`
  const ask = () =>
    call<Uses>('GET', `${path}/uses`).then(setUses, (error: Error) => {
      toast.error(error.message)
    })
  const leave = () => act(() => call('POST', `${path}/deactivate`, { successor: successor === NOBODY ? null : successor }), `${person.name} is inactive and gets no more mail.`)
  return (
    <>
      <Button kind="alarm" onClick={ask}>
        Deactivate
      </Button>
      <Confirm
        open={uses !== null}
        setOpen={(open) => !open && setUses(null)}
        title={`Deactivate ${person.name}?`}
        deed="Deactivate"
        leave="Keep active"
        kind="alarm"
        onDeed={leave}
      >
        {uses && (
          <span className="grid gap-1">
            <span>
              From now on no mail goes to {person.email}, and nobody signs in with it. What records say of {person.name} stays.
            </span>
            {uses.workflows.length > 0 && (
              <span>
                Named in: {uses.workflows.join(', ')}. Change {uses.workflows.length === 1 ? 'it' : 'them'} after.
              </span>
            )}
            {uses.groups.length > 0 && <span>Leaves the groups {uses.groups.join(', ')}.</span>}
            {uses.manages.length > 0 && <span>Manages {uses.manages.join(', ')}.</span>}
            <span className="mt-2 block">
              Who takes over in groups and as manager
              <Choice
                label="Who takes over"
                value={successor}
                options={[{ value: NOBODY, label: 'nobody' }, ...people.filter((p) => p.active && p.email !== person.email).map((p) => ({ value: p.email, label: p.name }))]}
                onChange={setSuccessor}
              />
            </span>
          </span>
        )}
      </Confirm>
    </>
  )
}
