'use client'

import { useForm } from 'react-hook-form'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from '../settings/section'
import { PASSWORD_NOTE } from '../sign-in/choose-password'

/** Changes one's own password, or chooses the first one. */
export function OwnPassword({ isThere, email }: { isThere: boolean; email: string }) {
  const { register, handleSubmit, reset } = useForm<{ old: string; password: string }>()
  const { busy, act } = useDeed()
  const change = handleSubmit(async ({ old, password }) => {
    if (await act(() => call('PUT', '/api/v1/account/password', { ...(isThere ? { old } : {}), password }), 'Your password is changed. Your other sessions have ended.')) reset()
  })
  return (
    <Section title="Password" note={isThere ? 'Changing it ends your other sessions.' : 'You have none yet: you came in another way. With one, you can also sign in by it.'}>
      <form onSubmit={change} className="grid max-w-[420px] gap-4">
        <input type="hidden" name="username" autoComplete="username" value={email} readOnly />
        {isThere && (
          <Labelled label="The one you have now">
            <input aria-label="The one you have now" type="password" autoComplete="current-password" className="blank-line" {...register('old', { required: true })} />
          </Labelled>
        )}
        <Labelled label="New password" note={PASSWORD_NOTE}>
          <input aria-label="New password" type="password" autoComplete="new-password" className="blank-line" {...register('password', { required: true })} />
        </Labelled>
        <Button kind="main" type="submit" disabled={busy} className="justify-self-start">
          {isThere ? 'Change it' : 'Keep it'}
        </Button>
      </form>
    </Section>
  )
}
