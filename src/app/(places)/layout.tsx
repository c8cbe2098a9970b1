import type { ReactNode } from 'react'
import { Toaster } from 'sonner'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { unreadOf } from '@/app/_server/unread'
import { readSettings } from '@/store/settings'
import { OrganisationProvider } from '@/ui/parts/organisation'
import { Queries } from '@/ui/parts/queries'
import { Keys } from '@/ui/shell/keys'
import { LeaveGuard } from '@/ui/shell/leaving'
import { Palette } from '@/ui/shell/palette'
import { PasswordAgain } from '@/ui/shell/password-again'
import { ReadWhole } from '@/ui/shell/read-whole'
import { TopBar } from '@/ui/shell/top-bar'

export default async function PlacesLayout({ children }: { children: ReactNode }) {
  const actor = await visitor('PAGE /')
  const [{ name, locale, zone }, unread] = await Promise.all([readSettings(pool()), unreadOf(actor.person)])
  return (
    <Queries>
      <OrganisationProvider locale={locale} zone={zone}>
        <a href="#place" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
          Skip to the page
        </a>
        <TopBar organisation={name} person={actor.name} role={actor.role} unread={unread} />
        <div id="place">{children}</div>
        <Palette role={actor.role} />
        <Keys role={actor.role} />
        <ReadWhole />
        <LeaveGuard />
        <PasswordAgain email={actor.email ?? ''} />
        <Toaster
          position="bottom-left"
          theme="system"
          toastOptions={{
            unstyled: true,
            classNames: {
              toast: 'flex w-full items-start gap-3 rounded-md border border-rule bg-sheet px-4 py-3 font-sans text-base text-ink shadow-lg',
              icon: 'mt-0.5 shrink-0',
              error: 'border-l-4 border-l-alarm',
            },
          }}
        />
      </OrganisationProvider>
    </Queries>
  )
}
