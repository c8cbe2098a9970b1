'use client'

import { useState } from 'react'
import { useForm } from 'react-hook-form'
import type { OpenIdSetting } from '@/store/access/openid'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

interface Times {
  idleHours: string
  whyDays: string
}

interface Given {
  issuer: string
  clientId: string
  clientSecret: string
  label: string
  domains: string
}

interface Props {
  readonly idleMinutes: number
  readonly whyDays: number
  readonly openid: OpenIdSetting | null
  /** Where the other system sends people back to; it has to be told. */
  readonly backUrl: string
}

/** How long people stay signed in, and signing in by another system. */
export function SigningIn({ idleMinutes, whyDays, openid, backUrl }: Props) {
  const { register, handleSubmit, formState } = useForm<Times>({ values: { idleHours: String(idleMinutes / 60), whyDays: String(whyDays) } })
  const { busy, act } = useDeed()
  const save = handleSubmit(({ idleHours, whyDays: days }) =>
    act(() => call('PUT', '/api/v1/settings', { idleMinutes: Math.round(Number(idleHours) * 60), whyDays: Number(days) }), 'Saved. It counts from the next call on.'),
  )
  return (
    <Section title="Signing in" note="Passwords have at least 12 characters, and none that is tried first. Whoever guesses is slowed; nobody can be locked out.">
      <form onSubmit={save} className="mb-6 grid grid-cols-1 items-end gap-x-8 gap-y-4 sm:grid-cols-[1fr_1fr_auto]">
        <Labelled label="A session ends after hours without use">
          <input
            aria-label="A session ends after hours without use"
            type="number"
            min="0.25"
            max="336"
            step="0.25"
            className="blank-line"
            {...register('idleHours', { required: true })}
          />
        </Labelled>
        <Labelled label="Why you got this shows values for days">
          <input
            aria-label="Why you got this shows values for days"
            type="number"
            min="0"
            max="3650"
            step="1"
            className="blank-line"
            {...register('whyDays', { required: true })}
          />
        </Labelled>
        <Button type="submit" disabled={busy || !formState.isDirty}>
          Keep these times
        </Button>
      </form>
      <OpenIdForm openid={openid} backUrl={backUrl} />
    </Section>
  )
}

function OpenIdForm({ openid, backUrl }: Pick<Props, 'openid' | 'backUrl'>) {
  const [open, setOpen] = useState(false)
  const values: Given = {
    issuer: openid?.issuer ?? '',
    clientId: openid?.clientId ?? '',
    clientSecret: '',
    label: openid?.label ?? 'Sign in with your organisation’s account',
    domains: openid?.domains.join(', ') ?? '',
  }
  const { register, handleSubmit } = useForm<Given>({ values })
  const { busy, act } = useDeed()
  const save = handleSubmit(async ({ clientSecret, domains, ...rest }) => {
    const body = { ...rest, domains: domains.split(/[,;\s]+/).filter(Boolean), ...(clientSecret ? { clientSecret } : {}) }
    if (await act(() => call('PUT', '/api/v1/settings/openid', body), 'The other system answered. People can sign in by it now.')) setOpen(false)
  })
  if (!open)
    return (
      <p className="flex items-baseline gap-6">
        <span>
          {openid ? (
            <>
              People of <b className="font-semibold">{openid.domains.join(', ')}</b> can also sign in by <span className="font-mono text-sm">{openid.issuer}</span>
            </>
          ) : (
            <span className="text-muted">People sign in by their passwords alone.</span>
          )}
        </span>
        <Button onClick={() => setOpen(true)}>{openid ? 'Change' : 'Add sign-in by OpenID Connect'}</Button>
        {openid && (
          <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', '/api/v1/settings/openid'), 'People sign in by their passwords alone.')}>
            End it
          </Button>
        )}
      </p>
    )
  return (
    <form aria-label="Sign-in by OpenID Connect" onSubmit={save} className="grid grid-cols-1 gap-x-8 gap-y-4 sm:grid-cols-2">
      <Labelled label="Issuer" note="Where the other system describes itself, such as https://login.office.example" className="sm:col-span-2">
        <input aria-label="Issuer" type="url" className="blank-line" {...register('issuer', { required: true })} />
      </Labelled>
      <Labelled label="Client id" note="What the other system calls Rappel">
        <input aria-label="Client id" className="blank-line" {...register('clientId', { required: true })} />
      </Labelled>
      <Labelled label="Client secret" note={openid ? 'Leave it empty to keep the one that is kept' : 'Kept sealed, and never shown again'}>
        <input aria-label="Client secret" type="password" autoComplete="off" className="blank-line" {...register('clientSecret')} />
      </Labelled>
      <Labelled label="Domains" note="Addresses of these alone are taken, and only of people who are here already">
        <input aria-label="Domains of addresses" placeholder="office.example" className="blank-line" {...register('domains', { required: true })} />
      </Labelled>
      <Labelled label="On the sign-in page it says">
        <input aria-label="On the sign-in page it says" className="blank-line" {...register('label', { required: true })} />
      </Labelled>
      <p className="text-muted text-sm sm:col-span-2">
        Tell the other system to send people back to <code className="break-all font-mono text-ink">{backUrl}</code>
      </p>
      <div className="flex gap-6 sm:col-span-2">
        <Button kind="main" type="submit" disabled={busy}>
          Ask it and save
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
    </form>
  )
}
