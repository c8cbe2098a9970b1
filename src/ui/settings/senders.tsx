'use client'

import { useForm } from 'react-hook-form'
import type { SenderRow } from '@/store/templates'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Row, Section } from './section'

const path = (name: string) => `/api/v1/senders/${encodeURIComponent(name)}`

/** Names and addresses that an email can be from besides the organisation's own. */
export function Senders({ senders }: { senders: readonly SenderRow[] }) {
  const { register, handleSubmit, reset } = useForm<SenderRow>()
  const { busy, act } = useDeed()
  const add = handleSubmit(async ({ name, display, address }) => {
    if (await act(() => call('PUT', path(name.trim()), { display, address }), `Mail can now be from ${display}.`)) reset()
  })
  return (
    <Section title="Sender identities" note="An email can be from one of these instead of the organisation. The mail server must be allowed to send for the address.">
      <ul className="mb-3">
        {senders.map(({ name, display, address }) => (
          <Row
            key={name}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', path(name)), `${name} is no longer a sender.`)}>
                Remove
              </Button>
            }
          >
            <b className="font-semibold">{name}</b>{' '}
            <span className="text-muted">
              {display} &lt;{address}&gt;
            </span>
          </Row>
        ))}
      </ul>
      <form onSubmit={add} className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[1fr_1fr_1.4fr_auto]">
        <Labelled label="Called here">
          <input aria-label="Called here" className="blank-line" {...register('name', { required: true })} />
        </Labelled>
        <Labelled label="Name people see">
          <input aria-label="Name people see" className="blank-line" {...register('display', { required: true })} />
        </Labelled>
        <Labelled label="Address">
          <input aria-label="Address of the sender" type="email" className="blank-line" {...register('address', { required: true })} />
        </Labelled>
        <Button type="submit" disabled={busy}>
          Add a sender
        </Button>
      </form>
    </Section>
  )
}
