'use client'

import { ChevronDown } from 'lucide-react'
import { usePathname, useRouter } from 'next/navigation'
import { DropdownMenu } from 'radix-ui'
import { call } from '../api'
import Link from '../parts/link'
import { mayLeave, useGo } from './leaving'
import { openPalette } from './palette'
import { placesOf } from './places'
import { Unread } from './unread'

/** The slim bar: the places as words, Today with how many notices are not read, search, the organisation, and who is signed in. */
export function TopBar({ organisation, person, role, unread }: { organisation: string; person: string; role: string; unread: number }) {
  const path = usePathname()
  const isIn = (href: string) => (href === '/' ? path === '/' : path === href || path.startsWith(`${href}/`))
  return (
    <header className="sticky top-0 z-30 flex h-[46px] items-center gap-6 border-rule border-b bg-paper px-7 max-lg:gap-4 max-sm:px-4">
      <Link href="/" className="font-serif text-spruce text-xl no-underline hover:no-underline">
        Rappel
      </Link>
      <PlacesMenu role={role} isIn={isIn} unread={unread} />
      <nav aria-label="Places" className="flex gap-5 max-lg:hidden">
        {placesOf(role).map((place) => (
          <Link
            key={place.href}
            href={place.href}
            aria-current={isIn(place.href) ? 'page' : undefined}
            className="whitespace-nowrap text-muted no-underline hover:text-ink hover:no-underline aria-[current]:font-semibold aria-[current]:text-ink"
          >
            {place.name}
            {place.href === '/' && <Unread first={unread} />}
          </Link>
        ))}
      </nav>
      <button type="button" onClick={openPalette} className="ml-auto flex w-48 items-baseline max-lg:w-28 justify-between border-rule border-b pb-0.5 text-muted hover:text-ink">
        Find or do <kbd className="font-mono text-[0.6875rem] max-lg:hidden">Ctrl K</kbd>
      </button>
      <span className="whitespace-nowrap font-medium max-lg:hidden">{organisation}</span>
      <PersonMenu person={person} role={role} />
    </header>
  )
}

/** The places as a menu, where the bar has no room for all of them. */
function PlacesMenu({ role, isIn, unread }: { role: string; isIn: (href: string) => boolean; unread: number }) {
  const go = useGo()
  const places = placesOf(role)
  const here = places.find((place) => isIn(place.href))
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="flex min-h-6 items-center gap-1.5 whitespace-nowrap font-semibold lg:hidden">
        {here?.name ?? 'Places'}
        <Unread first={unread} />
        <ChevronDown aria-hidden className="size-3.5 text-muted" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content aria-label="Places" align="start" sideOffset={10} className="z-50 min-w-44 rounded-md border border-rule bg-sheet p-1 shadow-lg lg:hidden">
          {places.map((place) => (
            <DropdownMenu.Item
              key={place.href}
              onSelect={() => void go(place.href)}
              className={`cursor-pointer rounded-sm px-2 py-1.5 outline-none data-[highlighted]:bg-spruce-wash ${isIn(place.href) ? 'font-semibold' : ''}`}
            >
              {place.name}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

function PersonMenu({ person, role }: { person: string; role: string }) {
  const router = useRouter()
  const go = useGo()
  const signOut = async () => {
    if (!(await mayLeave())) return
    await call('DELETE', '/api/session')
    router.push('/sign-in')
    router.refresh()
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="whitespace-nowrap text-muted hover:text-ink">{person}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={10} className="z-50 min-w-44 rounded-md border border-rule bg-sheet p-1 shadow-lg">
          <DropdownMenu.Label className="px-2 py-1 text-muted text-xs">Signed in as {role}</DropdownMenu.Label>
          <DropdownMenu.Item onSelect={() => void go('/account')} className="cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-spruce-wash">
            Your account
          </DropdownMenu.Item>
          <DropdownMenu.Item onSelect={signOut} className="cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-spruce-wash">
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
