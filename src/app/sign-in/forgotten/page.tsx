import type { Metadata } from 'next'
import { pool } from '@/app/_server/environment'
import { readSettings } from '@/store/settings'
import { Forgotten } from '@/ui/sign-in/forgotten'
import { SignInSheet } from '@/ui/sign-in/sheet'

export const metadata: Metadata = { title: 'A new password' }

/** Where whoever forgot their password asks for another. */
export default async function ForgottenPage() {
  return (
    <SignInSheet organisation={(await readSettings(pool())).name}>
      <Forgotten />
    </SignInSheet>
  )
}
