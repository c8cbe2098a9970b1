'use client'

import { useState } from 'react'
import { useForm } from 'react-hook-form'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button, ButtonLink } from '../parts/button'
import { Labelled } from '../parts/labelled'

/** Asks for a mail with a link for a new password. */
export function Forgotten() {
  const [fault, setFault] = useState<string>()
  const [asked, setAsked] = useState<string | null>(null)
  const { register, handleSubmit, formState } = useForm<{ email: string }>()
  const ask = handleSubmit(async ({ email }) => {
    setFault(undefined)
    try {
      await call('POST', '/api/session/reset', { email })
      setAsked(email)
    } catch (error) {
      setFault(faultOf(error))
    }
  })
  if (asked)
    return (
      <p role="status" className="max-w-[46ch]">
        If somebody signs in here as <b className="font-semibold">{asked}</b>, a mail with a link for a new password is on its way. The link counts once, for two hours.
      </p>
    )
  return (
    <form onSubmit={ask} className="grid gap-5">
      <Labelled label="Your e-mail" fault={fault} note="You get a link to choose a new password.">
        <input aria-label="Your e-mail" type="email" autoComplete="username" className="blank-line" {...register('email', { required: true })} />
      </Labelled>
      <div className="flex items-center gap-6">
        <Button kind="main" type="submit" disabled={formState.isSubmitting}>
          Send the link
        </Button>
        <ButtonLink href="/sign-in">Back to sign in</ButtonLink>
      </div>
    </form>
  )
}
