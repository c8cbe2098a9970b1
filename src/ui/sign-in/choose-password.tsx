'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { useForm } from 'react-hook-form'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import { Labelled } from '../parts/labelled'

/** What a password has to be, said where one is chosen. */
export const PASSWORD_NOTE = 'At least 12 characters. Three or four words that have nothing to do with you are good, and easy to remember.'

/** Chooses a password by an invitation's link, or a link for a new one, and comes in. */
export function ChoosePassword({ linkKey, email }: { linkKey: string; email: string }) {
  const router = useRouter()
  const [fault, setFault] = useState<string>()
  const { register, handleSubmit, formState } = useForm<{ password: string }>()
  const choose = handleSubmit(async ({ password }) => {
    setFault(undefined)
    try {
      await call('POST', '/api/session/link', { key: linkKey, password })
      router.push('/')
      router.refresh()
    } catch (error) {
      setFault(faultOf(error))
    }
  })
  return (
    <form onSubmit={choose} className="grid gap-5">
      <input type="hidden" name="username" autoComplete="username" value={email} readOnly />
      <Labelled label="New password" fault={fault} note={PASSWORD_NOTE}>
        <input aria-label="New password" type="password" autoComplete="new-password" className="blank-line" {...register('password', { required: true })} />
      </Labelled>
      <Button kind="main" type="submit" disabled={formState.isSubmitting} className="justify-self-start">
        Keep it and come in
      </Button>
    </form>
  )
}
