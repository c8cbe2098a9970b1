/** The places of the application, in the top bar's order, with the key that goes there after `g` and who has them. */
export const PLACES = [
  { name: 'Today', href: '/', key: 't', for: 'all' },
  { name: 'Workflows', href: '/workflows', key: 'w', for: 'all' },
  { name: 'Templates', href: '/templates', key: 'm', for: 'editors' },
  { name: 'Records', href: '/records', key: 'r', for: 'all' },
  { name: 'Figures', href: '/figures', key: 'f', for: 'all' },
  { name: 'Runs', href: '/runs', key: 'u', for: 'all' },
  { name: 'Post room', href: '/post-room', key: 'p', for: 'all' },
  { name: 'People', href: '/people', key: 'e', for: 'administrators' },
  { name: 'Settings', href: '/settings', key: 's', for: 'administrators' },
] as const

/** The places that a role has. */
export function placesOf(role: string) {
  return PLACES.filter((place) => place.for === 'all' || role === 'administrator' || (place.for === 'editors' && role === 'editor'))
}
