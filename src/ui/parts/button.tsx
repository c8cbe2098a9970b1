import type { ButtonHTMLAttributes, ReactNode, Ref } from 'react'
import Link from './link'

const KINDS = {
  main: 'rounded-md bg-spruce px-3 py-1.5 font-semibold text-on-spruce text-sm hover:brightness-110 disabled:opacity-50',
  quiet: 'rounded-sm text-spruce text-sm hover:underline underline-offset-4 disabled:text-muted disabled:no-underline',
  alarm: 'rounded-sm text-alarm text-sm hover:underline underline-offset-4',
} as const

type Kind = keyof typeof KINDS

/** A button: `main` for the one thing a page is for, `quiet` for the rest, `alarm` for what destroys. */
export function Button({
  kind = 'quiet',
  shortcut,
  className = '',
  children,
  ...rest
}: { kind?: Kind; shortcut?: string; ref?: Ref<HTMLButtonElement>; 'data-trial-deed'?: boolean } & ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button type="button" className={`${KINDS[kind]} ${className}`} {...rest}>
      {children}
      {shortcut && <Key>{shortcut}</Key>}
    </button>
  )
}

/** A link that looks as a button does. */
export function ButtonLink({ kind = 'quiet', href, children }: { kind?: Kind; href: string; children: ReactNode }) {
  return (
    <Link href={href} className={`${KINDS[kind]} no-underline`}>
      {children}
    </Link>
  )
}

/** The key that does the same. */
export function Key({ children }: { children: ReactNode }) {
  return (
    <span aria-hidden="true" className="ml-1.5 font-mono text-[0.6875rem]">
      {children}
    </span>
  )
}
