'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Row, Section } from './section'

const path = (name: string) => `/api/v1/channels/${encodeURIComponent(name)}`

interface Given {
  name: string
  url: string
  secret: string
}

/** Where notices are posted to. */
export function Channels({ channels }: { channels: readonly { name: string; url: string }[] }) {
  const { register, handleSubmit, reset, formState } = useForm<Given>()
  const { busy, act } = useDeed()
  const add = handleSubmit(async ({ name, url, secret }) => {
    if (await act(() => call('PUT', path(name.trim()), { url, secret }), `Notices can now go to ${name}.`)) reset()
  })
  return (
    <Section
      title="Channels"
      note="A notice to a channel is posted to its address as a CloudEvents 1.0 event, signed with the channel’s secret, and tried again until it is taken."
    >
      <ul className="mb-3">
        {channels.map(({ name, url }) => (
          <Row
            key={name}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', path(name)), `${name} is no longer a channel.`)}>
                Remove
              </Button>
            }
          >
            <b className="font-semibold">{name}</b> <span className="break-all font-mono text-muted text-xs">{url}</span>
          </Row>
        ))}
      </ul>
      <form onSubmit={add} className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[1fr_1.6fr_1fr_auto]">
        <Labelled label="Name">
          <input aria-label="Name of the channel" className="blank-line" {...register('name', { required: true })} />
        </Labelled>
        <Labelled label="Address">
          <input aria-label="Address of the channel" type="url" placeholder="https://" className="blank-line" {...register('url', { required: true })} />
        </Labelled>
        <Labelled label="Secret" fault={formState.errors.secret && 'At least 12 characters.'}>
          <input aria-label="Secret" type="password" autoComplete="new-password" className="blank-line" {...register('secret', { required: true, minLength: 12 })} />
        </Labelled>
        <Button type="submit" disabled={busy}>
          Add a channel
        </Button>
      </form>
    </Section>
  )
}
