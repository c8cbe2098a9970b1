'use client'

import { useForm } from 'react-hook-form'
import type { SenderRow } from '@/store/templates'
import { call } from '../api'
import { useRename } from '../design/use-rename'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { ChangeableRow, Section } from './section'

const path = (name: string) => `/api/v1/senders/${encodeURIComponent(name)}`

/** Names and addresses that an email can be from besides the organisation's own. */
export function Senders({ senders }: { senders: readonly SenderRow[] }) {
  return (
    <Section title="Sender identities" note="An email can be from one of these instead of the organisation. The mail server must be allowed to send for the address.">
      <ul className="mb-3">
        {senders.map((sender) => {
          const { name, display, address } = sender
          return (
            <ChangeableRow key={name} path={path(name)} gone={`${name} is no longer a sender.`} form={(onDone) => <SenderForm sender={sender} onDone={onDone} />}>
              <b className="font-semibold">{name}</b>{' '}
              <span className="text-muted">
                {display} &lt;{address}&gt;
              </span>
            </ChangeableRow>
          )
        })}
      </ul>
      <SenderForm sender={null} />
    </Section>
  )
}

function SenderForm({ sender, onDone }: { sender: SenderRow | null; onDone?: () => void }) {
  const { register, handleSubmit, reset } = useForm<SenderRow>(sender ? { defaultValues: sender } : {})
  const { busy, act } = useDeed()
  const { rename, question } = useRename()
  const save = handleSubmit(async ({ name: given, display, address }) => {
    const name = given.trim()
    if (!(await rename({ pathOf: path, from: sender?.name ?? null, to: name }))) return
    if (!(await act(() => call('PUT', path(name), { display, address }), sender ? 'Saved.' : `Mail can now be from ${display}.`))) return
    if (onDone) onDone()
    else reset()
  })
  return (
    <form
      onSubmit={save}
      aria-label={sender ? `Change ${sender.name}` : 'Add a sender'}
      className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)_minmax(0,1.5fr)_auto]"
    >
      <Labelled label="Called here">
        <input aria-label="Called here" className="blank-line" {...register('name', { required: true })} />
      </Labelled>
      <Labelled label="Name people see">
        <input aria-label="Name people see" className="blank-line" {...register('display', { required: true })} />
      </Labelled>
      <Labelled label="Address">
        <input aria-label="Address of the sender" type="email" className="blank-line" {...register('address', { required: true })} />
      </Labelled>
      <span className="flex gap-4">
        <Button type="submit" kind={sender ? 'main' : 'quiet'} disabled={busy}>
          {sender ? 'Save' : 'Add a sender'}
        </Button>
        {onDone && <Button onClick={onDone}>Leave it</Button>}
      </span>
      {question}
    </form>
  )
}
