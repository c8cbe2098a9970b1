'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useState } from 'react'
import { useForm } from 'react-hook-form'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import { Labelled } from '../parts/labelled'
import { PASSWORD_NOTE } from './choose-password'

interface Given {
  readonly organisation: string
  readonly name: string
  readonly email: string
  readonly password: string
}

const FIELDS: readonly { name: keyof Given; label: string; type: string; note?: string }[] = [
  { name: 'organisation', label: 'Organisation', type: 'text', note: 'Shown in the top bar, and as the sender of mail.' },
  { name: 'name', label: 'Your name', type: 'text' },
  { name: 'email', label: 'Your e-mail', type: 'email', note: 'Mail is sent from it until a sender is set.' },
  { name: 'password', label: 'Password', type: 'password', note: PASSWORD_NOTE },
]

/** What the browser goes by; blank until it is known, for the server goes by something else. */
function useOwnWays(): { readonly zone: string; readonly locale: string } {
  const [ways, setWays] = useState({ zone: '', locale: '' })
  useEffect(() => setWays({ zone: Intl.DateTimeFormat().resolvedOptions().timeZone ?? '', locale: navigator.language }), [])
  return ways
}

/** The first visit of a new installation: who administers it. */
export function FirstAdministrator() {
  const router = useRouter()
  const { zone, locale } = useOwnWays()
  const [fault, setFault] = useState<string>()
  const { register, handleSubmit, formState } = useForm<Given>()
  const create = handleSubmit(async (given) => {
    setFault(undefined)
    try {
      await call('POST', '/api/first-administrator', { ...given, zone, locale })
      await call('POST', '/api/session', { email: given.email, password: given.password })
      router.push('/')
      router.refresh()
    } catch (error) {
      setFault(faultOf(error))
    }
  })
  return (
    <main className="mx-auto max-w-[420px] px-7 pt-[12vh] pb-16">
      <h1 className="font-serif text-2xl">
        Welcome to <span className="text-spruce">Rappel</span>
      </h1>
      <p className="mb-6 font-serif text-lg text-muted">Nobody administers this installation yet. Make yourself its administrator.</p>
      <form onSubmit={create} className="grid gap-5">
        {FIELDS.map((f) => (
          <Labelled key={f.name} label={f.label} note={f.note}>
            <input aria-label={f.label} type={f.type} className="blank-line" {...register(f.name, { required: true })} />
          </Labelled>
        ))}
        {zone && (
          <p className="text-muted text-sm">
            Timetables and days go by the clocks of {zone.replaceAll('_', ' ')}, and dates are written as {new Date().toLocaleDateString(locale, { dateStyle: 'long' })}, as in this
            browser. Settings has others.
          </p>
        )}
        {fault && (
          <p role="alert" className="text-alarm">
            {fault}
          </p>
        )}
        <Button kind="main" type="submit" disabled={formState.isSubmitting} className="justify-self-start">
          Create the administrator
        </Button>
      </form>
    </main>
  )
}
