import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { readOpenId } from '@/store/access/openid'
import { hasAdministrator } from '@/store/access/sessions'
import { personByEmail } from '@/store/people'
import { readMark, readSettings } from '@/store/settings'
import { FirstAdministrator } from '@/ui/sign-in/first-administrator'
import { type DemoPerson, SignIn } from '@/ui/sign-in/sign-in'

export const metadata: Metadata = { title: 'Sign in' }

/** Why somebody who came back from the OpenID Connect provider was not let in. */
const REFUSED: Readonly<Record<string, string>> = {
  refused: 'Signing in that way was not finished. Try again.',
  'not set': 'Signing in that way is not set here any more.',
  'no address': 'The other system does not vouch for your e-mail address, so that you cannot be told who you are here.',
  'other domain': 'Addresses of your domain are not taken from the other system here.',
  'nobody here': 'Nobody here has your address, or may not sign in. Ask an administrator to invite you.',
}

/** Signing in; on a new installation, the creation of its first administrator. */
export default async function SignInPage({ searchParams }: { searchParams: Promise<{ fault?: string }> }) {
  if (!(await hasAdministrator(pool()))) return <FirstAdministrator />
  const { name } = await readSettings(pool())
  const demo = (await readMark(pool(), 'demo')) as { password: string; people: string[] } | null
  const people: DemoPerson[] = []
  for (const email of demo?.people ?? []) {
    const person = await personByEmail(pool(), email)
    if (person?.role) people.push({ name: person.name, email, role: person.role })
  }
  const openid = await readOpenId(pool())
  const { fault } = await searchParams
  return (
    <SignIn
      organisation={name}
      demo={demo ? { password: demo.password, people } : null}
      openid={openid?.label ?? null}
      refused={fault ? (REFUSED[fault] ?? REFUSED.refused ?? null) : null}
    />
  )
}
