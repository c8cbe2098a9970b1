'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { useForm } from 'react-hook-form'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button, ButtonLink } from '../parts/button'
import { Labelled } from '../parts/labelled'

export interface DemoPerson {
  readonly name: string
  readonly email: string
  readonly role: string
}

const MAY: Record<string, string> = {
  administrator: 'everything',
  editor: 'builds workflows and reads the log',
  member: 'sees records, and mail to themselves',
}

interface Props {
  readonly organisation: string
  readonly demo: { readonly password: string; readonly people: readonly DemoPerson[] } | null
  /** What stands on the button that signs in by another system; null where there is none. */
  readonly openid: string | null
  /** Why signing in by it was refused; null where it was not tried. */
  readonly refused: string | null
}

/** The sign-in sheet; the demo's names its people and their password. */
export function SignIn({ organisation, demo, openid, refused }: Props) {
  const router = useRouter()
  const [fault, setFault] = useState<string>()
  const { register, handleSubmit, setValue, formState } = useForm<{ email: string; password: string }>()
  const enter = handleSubmit(async (given) => {
    setFault(undefined)
    try {
      await call('POST', '/api/session', given)
      router.push('/')
      router.refresh()
    } catch (error) {
      setFault(faultOf(error))
    }
  })
  return (
    <main className="mx-auto grid max-w-[860px] gap-x-16 gap-y-10 px-7 pt-[14vh] pb-16 md:grid-cols-[320px_1fr]">
      <form onSubmit={enter} className="grid gap-5">
        <div>
          <h1 className="font-serif text-2xl">
            <span className="text-spruce">Rappel</span>
          </h1>
          <p className="font-serif text-lg text-muted">for {organisation}</p>
        </div>
        <Labelled label="E-mail">
          <input aria-label="E-mail" type="email" autoComplete="username" className="blank-line" {...register('email', { required: true })} />
        </Labelled>
        <Labelled label="Password" fault={fault}>
          <input aria-label="Password" type="password" autoComplete="current-password" className="blank-line" {...register('password', { required: true })} />
        </Labelled>
        <div className="flex items-center gap-6">
          <Button kind="main" type="submit" disabled={formState.isSubmitting}>
            {formState.isSubmitting ? 'Signing in …' : 'Sign in'}
          </Button>
          <ButtonLink href="/sign-in/forgotten">Forgot your password?</ButtonLink>
        </div>
        {openid && (
          <p className="border-rule border-t pt-4">
            <a href="/api/session/openid" className="text-spruce">
              {openid}
            </a>
          </p>
        )}
        {refused && (
          <p role="alert" className="text-alarm">
            {refused}
          </p>
        )}
      </form>
      {demo && (
        <section aria-label="Demo people" className="md:border-rule md:border-l md:pl-10">
          <h2 className="font-serif text-lg">This is a demo</h2>
          <p className="mb-3 max-w-[44ch] text-muted">
            Ternsay Ferries and everybody in it are made up. Each of these signs in with the password <b className="font-mono font-medium text-ink">{demo.password}</b>, shorter
            than any that can be chosen; nothing else here is laxer than elsewhere.
          </p>
          <ul>
            {demo.people.map((p) => (
              <li key={p.email} className="border-rule border-t py-2.5">
                <button
                  type="button"
                  className="text-left hover:text-spruce"
                  onClick={() => {
                    setValue('email', p.email)
                    setValue('password', demo.password)
                  }}
                >
                  <span className="font-semibold">{p.name}</span> <span className="text-muted">{p.email}</span>
                  <br />
                  <span className="role-word text-spruce">{p.role}</span> <span className="text-muted">{MAY[p.role]}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </main>
  )
}
