import NextLink from 'next/link'
import type { ComponentProps } from 'react'

/** A link within the application. What it leads to is asked for when it is followed, not before: every page is made for whoever asks, and a list of runs would ask for each of them. */
export default function Link(props: ComponentProps<typeof NextLink>) {
  return <NextLink prefetch={false} {...props} />
}
