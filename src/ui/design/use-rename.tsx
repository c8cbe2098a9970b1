'use client'

import { useRouter } from 'next/navigation'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { Use } from '@/store/design/mentions'
import { call } from '../api'
import { Confirm } from '../parts/confirm'
import { usesIn } from './deeds'
import { AskedUses } from './use-list'

/** Something that may be called otherwise: the address of its calls by its name, what it is called, null where it is new, and what from now on. */
interface Renaming {
  readonly pathOf: (name: string) => string
  readonly from: string | null
  readonly to: string
  /** That it is somebody’s e-mail, and not a name. */
  readonly isAddress?: boolean
}

interface Asked extends Renaming {
  readonly uses: readonly Use[]
  readonly answer: (yes: boolean) => void
}

/**
 * Calls something otherwise that workflows name, and asks first where any do: `rename` answers whether it is called so now, and says why where it could not be. `question` is to be shown where it is used.
 */
export function useRename(): { readonly rename: (renaming: Renaming) => Promise<boolean>; readonly question: ReactNode } {
  const router = useRouter()
  const [asked, setAsked] = useState<Asked | null>(null)
  const send = async (renaming: Renaming, anyway: boolean): Promise<boolean> => {
    const { pathOf, from, to } = renaming
    if (from === null || from === to) return true
    try {
      await call('POST', `${pathOf(from)}/rename`, { to, anyway })
      router.refresh()
      return true
    } catch (error) {
      const uses = usesIn(error)
      if (uses?.length) return askFirst(renaming, uses)
      toast.error(faultOf(error))
      return false
    }
  }
  const askFirst = async (renaming: Renaming, uses: readonly Use[]) => {
    const yes = await new Promise<boolean>((answer) => setAsked({ ...renaming, uses, answer }))
    setAsked(null)
    return yes && send(renaming, true)
  }
  const question = (
    <Confirm
      open={asked !== null}
      setOpen={(open) => !open && asked?.answer(false)}
      title={asked ? (asked.isAddress ? `Use ${asked.to} everywhere?` : `Call it ${asked.to} everywhere?`) : ''}
      deed={asked?.isAddress ? 'Use it everywhere' : 'Rename it everywhere'}
      leave="Leave it"
      kind="main"
      onDeed={() => asked?.answer(true)}
      before={asked && <AskedUses uses={asked.uses} />}
    >
      {asked?.isAddress ? 'These name the address of before' : 'These speak of it by its name now'}, and go along in the same moment. Live versions go on under their numbers.{' '}
      {asked?.isAddress && 'Mail that waits goes to the new one. '}Texts and formulas stay as they are written.
    </Confirm>
  )
  return { rename: (renaming) => send(renaming, false), question }
}
