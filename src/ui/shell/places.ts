/** The places of the application, in the top bar's order, with the key that goes there after `g`. */
export const PLACES = [
  { name: 'Today', href: '/', key: 't', editors: false },
  { name: 'Workflows', href: '/workflows', key: 'w', editors: true },
  { name: 'Records', href: '/records', key: 'r', editors: false },
  { name: 'Runs', href: '/runs', key: 'u', editors: true },
  { name: 'Post room', href: '/post-room', key: 'p', editors: false },
] as const
