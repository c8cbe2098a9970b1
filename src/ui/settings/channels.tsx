'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { useRename } from '../design/use-rename'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { ChangeableRow, Section } from './section'

const path = (name: string) => `/api/v1/channels/${encodeURIComponent(name)}`

interface Channel {
  readonly name: string
  readonly url: string
}

interface Given {
  name: string
  url: string
  secret: string
}

/** Where notices are posted to. */
export function Channels({ channels }: { channels: readonly Channel[] }) {
  return (
    <Section
      title="Channels"
      note="A notice to a channel is posted to its address as a CloudEvents 1.0 event, signed with the channel’s secret, and tried again until it is taken."
    >
      <ul className="mb-3">
        {channels.map((channel) => {
          const { name, url } = channel
          return (
            <ChangeableRow key={name} path={path(name)} gone={`${name} is no longer a channel.`} form={(onDone) => <ChannelForm channel={channel} onDone={onDone} />}>
              <b className="font-semibold">{name}</b> <span className="break-all font-mono text-muted text-xs">{url}</span>
            </ChangeableRow>
          )
        })}
      </ul>
      <ChannelForm channel={null} />
    </Section>
  )
}

function ChannelForm({ channel, onDone }: { channel: Channel | null; onDone?: () => void }) {
  const { register, handleSubmit, reset, formState } = useForm<Given>({ defaultValues: { ...channel, secret: '' } })
  const { busy, act } = useDeed()
  const { rename, question } = useRename()
  const save = handleSubmit(async ({ name: given, url, secret }) => {
    const name = given.trim()
    if (!(await rename({ pathOf: path, from: channel?.name ?? null, to: name }))) return
    const isNameAlone = channel !== null && url === channel.url && secret === ''
    const deed = async () => void (isNameAlone || (await call('PUT', path(name), { url, ...(secret ? { secret } : {}) })))
    if (!(await act(deed, channel ? 'Saved.' : `Notices can now go to ${name}.`))) return
    if (onDone) onDone()
    else reset()
  })
  return (
    <form
      onSubmit={save}
      aria-label={channel ? `Change ${channel.name}` : 'Add a channel'}
      className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[minmax(0,1fr)_minmax(0,1.6fr)_minmax(0,1fr)_auto]"
    >
      <Labelled label="Name">
        <input aria-label="Name of the channel" className="blank-line" {...register('name', { required: true })} />
      </Labelled>
      <Labelled label="Address">
        <input aria-label="Address of the channel" type="url" placeholder="https://" className="blank-line" {...register('url', { required: true })} />
      </Labelled>
      <Labelled label="Secret" fault={formState.errors.secret && 'At least 12 characters.'}>
        <input
          aria-label="Secret"
          type="password"
          autoComplete="new-password"
          placeholder={channel ? 'the one it has' : ''}
          className="blank-line"
          {...register('secret', { required: channel === null, minLength: 12 })}
        />
      </Labelled>
      <span className="flex gap-4">
        <Button type="submit" kind={channel ? 'main' : 'quiet'} disabled={busy}>
          {channel ? 'Save' : 'Add a channel'}
        </Button>
        {onDone && <Button onClick={onDone}>Leave it</Button>}
      </span>
      {question}
    </form>
  )
}
