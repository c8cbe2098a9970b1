import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { personByEmail } from '@/store/people'
import { hasAdministrator } from '@/store/sessions'
import { readMark, readSettings } from '@/store/settings'
import { FirstAdministrator } from '@/ui/sign-in/first-administrator'
import { type DemoPerson, SignIn } from '@/ui/sign-in/sign-in'

export const metadata: Metadata = { title: 'Sign in' }

/** Signing in; on a new installation, the creation of its first administrator. */
export default async function SignInPage() {
  if (!(await hasAdministrator(pool()))) return <FirstAdministrator />
  const { name } = await readSettings(pool())
  const demo = (await readMark(pool(), 'demo')) as { password: string; people: string[] } | null
  const people: DemoPerson[] = []
  for (const email of demo?.people ?? []) {
    const person = await personByEmail(pool(), email)
    if (person?.role) people.push({ name: person.name, email, role: person.role })
  }
  return <SignIn organisation={name} demo={demo ? { password: demo.password, people } : null} />
}
