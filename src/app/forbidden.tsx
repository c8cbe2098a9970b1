import { headers } from 'next/headers'
import { rolesForPath } from '@/app/_server/access'
import { PATH_HEADER } from '@/app/_server/path-header'
import Link from '@/ui/parts/link'

/** What is said where somebody may not open a page: whom it is for, and who can change that. */
export default async function Forbidden() {
  const roles = rolesForPath((await headers()).get(PATH_HEADER) ?? '')
  const forWhom = roles === null || roles === 'anyone' ? null : new Intl.ListFormat('en-GB').format(roles.map((role) => `${role}s`))
  return (
    <main className="mx-auto max-w-[52ch] px-7 py-[18vh] font-serif text-lg">
      <h1 className="mb-2 text-2xl">This place is not for your role</h1>
      <p className="text-muted">{forWhom ? `It is for ${forWhom}.` : 'It is for others.'} An administrator can change what you may do, under People.</p>
      <p>
        <Link href="/">Back to Today</Link>
      </p>
    </main>
  )
}
