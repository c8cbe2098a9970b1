'use client'

import { Dialog } from 'radix-ui'
import { type FormEvent, useEffect, useRef, useState } from 'react'
import { faultOf } from '@/core/must'
import { type AskedBecause, call, onPasswordAsked } from '../api'
import { Button } from '../parts/button'
import { Labelled } from '../parts/labelled'

interface Asked {
  readonly because: AskedBecause
  readonly answer: (isSaid: boolean) => void
  readonly said: Promise<boolean>
}

const WORDS: Readonly<Record<AskedBecause, { title: string; text: string; deed: string }>> = {
  delicate: { title: 'Your password, once more', text: 'Roles, tokens and how people sign in are delicate. It is not asked again for ten minutes.', deed: 'Go on' },
  'session ended': { title: 'Your session has ended', text: 'What you typed is still here. Sign in, and it goes on where it was.', deed: 'Sign in' },
}

/** Asks for the password over the page, when a call needs it; the page stays as it is, and the call goes on after. */
export function PasswordAgain({ email }: { email: string }) {
  const [asked, setAsked] = useState<Asked | null>(null)
  const [fault, setFault] = useState<string>()
  const [busy, setBusy] = useState(false)
  const current = useRef<Asked | null>(null)
  useEffect(
    () =>
      onPasswordAsked((because) => {
        if (current.current) return current.current.said // several calls wait for one answer
        let answer: Asked['answer'] = () => undefined
        const said = new Promise<boolean>((resolve) => {
          answer = resolve
        })
        current.current = { because, answer, said }
        setFault(undefined)
        setAsked(current.current)
        return said
      }),
    [],
  )
  const end = (isSaid: boolean) => {
    asked?.answer(isSaid)
    current.current = null
    setAsked(null)
  }
  const say = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    const password = String(new FormData(event.currentTarget).get('password') ?? '')
    setBusy(true)
    try {
      if (asked?.because === 'delicate') await call('POST', '/api/session/proof', { password })
      else await call('POST', '/api/session', { email, password })
      end(true)
    } catch (error) {
      setFault(faultOf(error))
    } finally {
      setBusy(false)
    }
  }
  if (!asked) return null
  const words = WORDS[asked.because]
  return (
    <Dialog.Root open onOpenChange={(open) => !open && end(false)}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content className="fixed top-[24vh] left-1/2 z-50 w-[min(420px,92vw)] -translate-x-1/2 rounded-md border border-rule bg-sheet px-6 py-5 shadow-xl">
          <Dialog.Title className="font-serif text-xl">{words.title}</Dialog.Title>
          <Dialog.Description className="mt-1 mb-4 text-muted">{words.text}</Dialog.Description>
          <form onSubmit={say} className="grid gap-5">
            <input type="hidden" name="username" autoComplete="username" value={email} readOnly />
            <Labelled label={`Password of ${email}`} fault={fault}>
              <input aria-label="Password" name="password" type="password" autoComplete="current-password" className="blank-line" required />
            </Labelled>
            <div className="flex items-center justify-end gap-5">
              <Button onClick={() => end(false)}>Leave it</Button>
              <Button kind="main" type="submit" disabled={busy}>
                {words.deed}
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
