'use client'

import { useForm } from 'react-hook-form'
import type { HookRow } from '@/store/hooks'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Time } from '../parts/time'
import { Row, Section } from './section'

const path = (name: string) => `/api/v1/webhooks/${encodeURIComponent(name)}`

interface Given {
  name: string
  url: string
  secret: string
  table: string
}

interface Props {
  readonly hooks: readonly HookRow[]
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  readonly locale: string
  readonly zone: string
}

/** Programs elsewhere that are told of every change. */
export function Webhooks({ hooks, tables, locale, zone }: Props) {
  const { register, handleSubmit, reset } = useForm<Given>({ defaultValues: { table: '' } })
  const { busy, act } = useDeed()
  const add = handleSubmit(async ({ name, url, secret, table }) => {
    if (await act(() => call('PUT', path(name.trim()), { url, secret, ...(table ? { tables: [table] } : {}) }), `${name} is told of changes from now on.`)) reset()
  })
  return (
    <Section
      title="Webhooks"
      note="Programs elsewhere are told of every change, as batches of CloudEvents that are signed with the secret: at least once, and in order for each record."
    >
      <ul className="mb-3">
        {hooks.map(({ name, url, tables: of, reply, toldAt }) => (
          <Row
            key={name}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', path(name)), `${name} is told no more.`)}>
                Remove
              </Button>
            }
          >
            <b className="font-semibold">{name}</b> <span className="break-all font-mono text-muted text-xs">{url}</span>{' '}
            <span className="text-muted text-sm">
              {of ? of.map((t) => tables.find((known) => known.name === t)?.label ?? t).join(', ') : 'all tables'}
              {toldAt && (
                <>
                  ; told last <Time at={new Date(toldAt)} locale={locale} zone={zone} />
                </>
              )}
            </span>
            {reply && (
              <p role="alert" className="text-alarm text-sm">
                It did not take the last changes, and is told them again: {reply}
              </p>
            )}
          </Row>
        ))}
      </ul>
      <form onSubmit={add} className="grid grid-cols-1 items-end gap-4 sm:grid-cols-[1fr_1.4fr_1fr_1fr_auto]">
        <Labelled label="Name">
          <input aria-label="Name of the webhook" className="blank-line" {...register('name', { required: true })} />
        </Labelled>
        <Labelled label="Address">
          <input aria-label="Address of the webhook" type="url" placeholder="https://" className="blank-line" {...register('url', { required: true })} />
        </Labelled>
        <Labelled label="Secret">
          <input aria-label="Secret of the webhook" type="password" autoComplete="new-password" className="blank-line" {...register('secret', { required: true, minLength: 12 })} />
        </Labelled>
        <Labelled label="Changes of">
          <select aria-label="Changes of" className="blank-line" {...register('table')}>
            <option value="">all tables</option>
            {tables.map((t) => (
              <option key={t.name} value={t.name}>
                {t.label}
              </option>
            ))}
          </select>
        </Labelled>
        <Button type="submit" disabled={busy}>
          Add a webhook
        </Button>
      </form>
    </Section>
  )
}
