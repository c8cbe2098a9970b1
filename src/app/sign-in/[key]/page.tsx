import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { openAccountKey } from '@/engine/account/link'
import { readAccountLink } from '@/store/access/account-links'
import { signingSecret } from '@/store/access/secrets'
import { readSettings } from '@/store/settings'
import { ButtonLink } from '@/ui/parts/button'
import { ChoosePassword } from '@/ui/sign-in/choose-password'
import { SignInSheet } from '@/ui/sign-in/sheet'

export const metadata: Metadata = { title: 'Choose a password', robots: { index: false }, referrer: 'no-referrer' }

/** Where the link of an invitation, or of a new password, leads. Looking at it uses it up no more than a mail program that fetches it beforehand may. */
export default async function AccountLinkPage({ params }: { params: Promise<{ key: string }> }) {
  const key = decodeURIComponent((await params).key)
  const [{ name }, secret] = await Promise.all([readSettings(pool()), signingSecret(pool(), 'account')])
  const id = openAccountKey(key, secret)
  const link = id === null ? null : await readAccountLink(pool(), id)
  if (!link)
    return (
      <SignInSheet organisation={name}>
        <p className="mb-5">This link counts no more: it was used, it ran out, or a newer one was sent.</p>
        <div className="flex gap-6">
          <ButtonLink href="/sign-in">Sign in</ButtonLink>
          <ButtonLink href="/sign-in/forgotten">Ask for a new password</ButtonLink>
        </div>
      </SignInSheet>
    )
  return (
    <SignInSheet organisation={name}>
      <p className="mb-5">
        {link.purpose === 'invitation' ? 'Welcome' : 'Good to see you'}, <b className="font-semibold">{link.name}</b>. You sign in as {link.email}.
      </p>
      <ChoosePassword linkKey={key} email={link.email} />
    </SignInSheet>
  )
}
