import type { Person } from '@/store/people'

/** A person as listed: the manager by e-mail. */
export type ListedPerson = Omit<Person, 'manager'> & { readonly manager: string | null }
