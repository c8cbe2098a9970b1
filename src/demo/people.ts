import type { Role } from '@/store/people'

const DOMAIN = 'ternsay-ferries.example'

interface DemoPerson {
  readonly name: string
  readonly email: string
  readonly phone: string | null
  readonly team: string
  readonly manager: string | null
  readonly role: Role
}

function person(name: string, team: string, manager: string | null, role: Role = 'member', phone: string | null = null): DemoPerson {
  const local = name.toLowerCase().normalize('NFD').replaceAll(/\p{M}/gu, '').replaceAll('ø', 'o').replaceAll(' ', '.')
  return { name, email: `${local}@${DOMAIN}`, phone, team, manager: manager && `${manager.toLowerCase().replaceAll(' ', '.')}@${DOMAIN}`, role }
}

/** The demo's password, the same for everybody, shown on its sign-in page. */
export const DEMO_PASSWORD = 'ternsay'

/** Everybody at Ternsay Ferries; managers come before those they manage. */
export const PEOPLE: readonly DemoPerson[] = [
  person('Sunniva Hald', 'Directors', null, 'member', '01550 4001'),
  person('Anselm Ekwueme', 'Directors', null, 'member', '01550 4002'),
  person('Maren Voss', 'Office', 'Sunniva Hald', 'administrator', '01550 4110'),
  person('Tove Lindqvist', 'Office', 'Maren Voss', 'editor', '01550 4111'),
  person('Ines Okafor', 'Office', 'Maren Voss', 'editor', '01550 4112'),
  person('Rafi Demir', 'Office', 'Ines Okafor', 'member', '01550 4113'),
  person('Oona Brisk', 'Office', 'Ines Okafor', 'member'),
  person('Callum Reith', 'Office', 'Tove Lindqvist', 'member', '01550 4115'),
  person('Greta Halloran', 'Engineers', 'Anselm Ekwueme', 'member', '01550 4201'),
  person('Idris Penhale', 'Engineers', 'Greta Halloran', 'member', '01550 4202'),
  person('Yusuf Tarrant', 'Engineers', 'Greta Halloran', 'member', '01550 4203'),
  person('Bettina Skow', 'Engineers', 'Greta Halloran', 'member'),
  person('Duncan Aird', 'Quays', 'Anselm Ekwueme', 'member', '01550 4301'),
  person('Mirela Stan', 'Quays', 'Duncan Aird', 'member', '01550 4302'),
  person('Finn Garrow', 'Quays', 'Duncan Aird', 'member'),
]

export const at = (local: string) => `${local}@${DOMAIN}`

/** The groups, with the shared mailboxes that belong to them. */
export const GROUPS: readonly { name: string; people: string[]; addresses: string[] }[] = [
  { name: 'Claims desk', people: [at('ines.okafor'), at('rafi.demir'), at('oona.brisk')], addresses: [at('claims')] },
  { name: 'Duty engineers', people: [at('greta.halloran'), at('idris.penhale'), at('yusuf.tarrant')], addresses: [] },
  { name: 'Harbour masters', people: [at('duncan.aird'), at('mirela.stan')], addresses: [at('harbour.brae'), at('harbour.northhaven')] },
  { name: 'Directors', people: [at('sunniva.hald'), at('anselm.ekwueme')], addresses: [] },
]
