import type { Stored } from '@/core/values/tables'
import { at as mailbox } from '../people'
import type { Write } from './events'
import { CITIES, COMPANIES, DEFECTS, FIRST_NAMES, LAST_NAMES, VESSELS } from './names'
import type { World } from './world'

const CLAIM_OWNERS = ['ines.okafor', 'rafi.demir', 'oona.brisk']
const ENQUIRY_OWNERS = ['tove.lindqvist', 'callum.reith', 'ines.okafor']
const STEPS_APART = [1, 2, 3, 5]

/** Claims come in, are looked at, offered on, settled and closed; some are saved again and again with nothing new in them. */
export function claims(world: World): void {
  const { chance } = world
  for (let day = world.days - 1; day >= 0; day--)
    for (let i = chance.whole(5, 11); i > 0; i--) {
      const amount = chance.money(20, 8_400)
      const ownerName = chance.early(CLAIM_OWNERS)
      const owner = chance.happens(0.08) ? null : world.person(ownerName)
      const made = world.create('claims', {
        passenger: chance.whole(1, 400),
        booking: chance.happens(0.7) ? chance.whole(1, world.lastId('bookings')) : null,
        kind: chance.early(['Baggage', 'Delay', 'Refund', 'Vehicle damage']),
        amount,
        owner,
        due: world.date(day, chance.whole(10, 30)),
      })
      if (world.save(world.officeHours(day), chance.happens(0.5) ? mailbox(ownerName) : 'system', made.write)) follow(world, day, made.id, amount, mailbox(ownerName))
    }
  world.save(world.moment(40, 600), mailbox('ines.okafor'), {
    do: 'update',
    table: 'claims',
    ids: Array.from({ length: 60 }, (_, i) => i * 3 + 1),
    set: { owner: world.person('oona.brisk') },
  })
}

function follow(world: World, created: number, id: number, amount: number, by: string): void {
  const { chance } = world
  let day = created
  const step = (set: Record<string, Stored>) => {
    day -= chance.one(STEPS_APART)
    return day >= 0 && world.save(world.officeHours(day), by, world.update('claims', id, set))
  }
  if (!step({ status: 'In review', ...(chance.happens(0.2) ? { owner: world.person(chance.one(CLAIM_OWNERS)) } : {}) })) return
  const offer = Math.round(amount * chance.whole(30, 95)) / 100
  if (!step({ status: 'Offer made', offer })) return
  if (chance.happens(0.35) && !step({ offer: Math.round(offer * chance.whole(110, 260)) / 100 })) return
  if (chance.happens(0.25)) step({ due: world.date(day, 14) })
  if (step({ status: 'Settled' }) && chance.happens(0.7)) step({ status: 'Closed' })
}

/** Companies with their contacts; some contacts have no phone, some no address. */
export function companies(world: World): void {
  const { chance } = world
  const writes: Write[] = COMPANIES.map((name) => world.create('companies', { name, city: chance.one(CITIES) }).write)
  COMPANIES.forEach((name, i) => {
    const domain = `${name.toLowerCase().replaceAll(/[^a-z]+/g, '-')}.example`
    for (let n = chance.whole(1, 4); n > 0; n--) {
      const [first, last] = [chance.one(FIRST_NAMES), chance.one(LAST_NAMES)]
      const local = first
        .toLowerCase()
        .normalize('NFD')
        .replaceAll(/[^a-z]/g, '')
      writes.push(
        world.create('contacts', {
          name: `${first} ${last}`,
          email: chance.happens(0.15) ? null : `${local}@${domain}`,
          phone: chance.happens(0.3) ? null : `01550 ${chance.whole(5000, 5999)}`,
          company: i + 1,
          role: chance.one(['Bookings', 'Manager', 'Assistant', 'Owner']),
        }).write,
      )
    }
  })
  world.save(world.moment(world.days, 315), 'import', ...writes)
}

/** Charter enquiries move through their stages and from owner to owner. */
export function enquiries(world: World): void {
  const { chance } = world
  for (let day = world.days - 1; day >= 0; day--)
    for (let i = chance.whole(1, 5); i > 0; i--) {
      const owner = chance.one(ENQUIRY_OWNERS)
      const made = world.create('enquiries', {
        company: chance.whole(1, COMPANIES.length),
        contact: chance.happens(0.1) ? null : chance.whole(1, world.lastId('contacts')),
        party_size: chance.whole(8, 160),
        date_wanted: world.date(day, chance.whole(20, 200)),
        value: chance.money(300, 9_000),
        source: chance.one(['Telephone', 'Web form', 'Agent', 'Quay']),
        owner: world.person(owner),
      })
      if (world.save(world.officeHours(day), 'system', made.write)) pursue(world, day, made.id, owner)
    }
}

function pursue(world: World, created: number, id: number, firstOwner: string): void {
  const { chance } = world
  let day = created
  let owner = firstOwner
  const step = (set: Record<string, Stored>) => {
    day -= chance.one(STEPS_APART)
    return day >= 0 && world.save(world.officeHours(day), mailbox(owner), world.update('enquiries', id, set))
  }
  if (!step({ stage: 'Quoted' }) || !step({ stage: 'Waiting' })) return
  if (chance.happens(0.45)) {
    const next = chance.one(ENQUIRY_OWNERS.filter((o) => o !== owner))
    if (!step({ owner: world.person(next) })) return
    owner = next
  }
  if (chance.happens(0.3) && !step({ value: chance.money(300, 9_000) })) return
  step({ stage: chance.happens(0.4) ? 'Won' : 'Lost' })
}

/** Defects are found, taken on and mended; the worst take a vessel out of service for a while. */
export function defects(world: World): void {
  const { chance } = world
  const engineers = ['idris.penhale', 'yusuf.tarrant', 'bettina.skow']
  for (let day = world.days - 1; day >= 0; day--)
    for (let i = chance.whole(1, 5); i > 0; i--) {
      const engineer = chance.one(engineers)
      const vessel = chance.whole(1, VESSELS.length)
      const severity = chance.happens(0.16) ? 'Stops sailing' : chance.early(['Minor', 'Major'])
      const made = world.create('defects', {
        vessel,
        system: chance.one(['Engine', 'Hull', 'Steering', 'Navigation', 'Bow door', 'Electrical', 'Safety gear']),
        severity,
        found_by: world.person(chance.one(['finn.garrow', 'mirela.stan', ...engineers])),
        engineer: chance.happens(0.2) ? null : world.person(engineer),
        fix_by: chance.happens(0.15) ? null : world.date(day, chance.whole(1, 20)),
        description: chance.happens(0.1) ? null : chance.one(DEFECTS),
      })
      if (!world.save(world.moment(day, chance.whole(300, 1_200)), mailbox('finn.garrow'), made.write)) continue
      if (severity === 'Stops sailing') world.save(world.moment(day, 1_250), mailbox('greta.halloran'), world.update('vessels', vessel, { status: 'Out of service' }))
      mend(world, day, made.id, mailbox(engineer), severity === 'Stops sailing' ? vessel : null)
    }
}

function mend(world: World, found: number, id: number, by: string, vessel: number | null): void {
  const { chance } = world
  let day = found
  for (const status of chance.happens(0.4) ? ['Parts ordered', 'Being mended', 'Mended'] : ['Being mended', 'Mended']) {
    day -= chance.one(STEPS_APART)
    if (day < 0 || !world.save(world.officeHours(day), by, world.update('defects', id, { status }))) return
  }
  if (vessel !== null) world.save(world.moment(day, 1_200), mailbox('greta.halloran'), world.update('vessels', vessel, { status: 'In service' }))
}

/** Inspections, tasks and documents: a few a week. */
export function papers(world: World): void {
  const { chance } = world
  for (let day = world.days - 1; day >= 0; day--) {
    if (chance.happens(0.3)) {
      const vessel = chance.whole(1, VESSELS.length)
      const made = world.create('inspections', { subject: `Safety round on ${VESSELS[vessel - 1]}`, vessel, inspector: world.someone('Engineers'), due: world.date(day, 7) })
      world.save(world.officeHours(day), mailbox('greta.halloran'), made.write)
      world.save(world.officeHours(Math.max(0, day - 6)), mailbox('greta.halloran'), world.update('inspections', made.id, { status: chance.happens(0.9) ? 'Passed' : 'Failed' }))
    }
    if (chance.happens(0.8)) {
      const made = world.create('tasks', {
        subject: chance.one(['Call back', 'Send the quote again', 'Order flares', 'Print the notices', 'Check the letter']),
        owner: world.someone('Office'),
        due: world.date(day, 3),
      })
      world.save(world.officeHours(day), mailbox('tove.lindqvist'), made.write)
      if (chance.happens(0.7)) world.save(world.officeHours(Math.max(0, day - 2)), mailbox('callum.reith'), world.update('tasks', made.id, { done: true }))
    }
    if (chance.happens(0.25)) {
      const folder = chance.one(['Certificates', 'Timetables', 'Letters', 'Minutes'])
      const part = chance.one(folder === 'Minutes' ? ['Board', 'Quays'] : ['Holm', 'Brae', 'Ternsay'])
      world.save(
        world.officeHours(day),
        mailbox('maren.voss'),
        world.create('documents', {
          name: `${folder} of ${world.date(day, 0)}`,
          folder: `${folder}/${part}`,
          file: folder === 'Certificates' ? world.certificate : null,
          added_by: world.person('maren.voss'),
        }).write,
      )
    }
  }
}

/** What happened in the last hours: some of it always, so that today is never empty. */
export function today(world: World): void {
  const hoursAgo = (hours: number) => new Date(world.now.getTime() - hours * 3_600_000)
  const defect = world.create('defects', {
    vessel: 3,
    system: 'Steering',
    severity: 'Stops sailing',
    found_by: world.person('finn.garrow'),
    engineer: world.person('idris.penhale'),
    fix_by: world.date(0, 1),
    description: 'Answers late to the helm; Merganser stays at Brae.',
  })
  const earlier = world.create('defects', {
    vessel: 1,
    system: 'Engine',
    severity: 'Stops sailing',
    found_by: world.person('mirela.stan'),
    engineer: world.person('yusuf.tarrant'),
    fix_by: world.date(1, 2),
    description: 'Smell of burning, breaker tripped twice.',
  })
  world.save(hoursAgo(31), mailbox('mirela.stan'), earlier.write)
  world.save(hoursAgo(24), mailbox('yusuf.tarrant'), world.update('defects', earlier.id, { status: 'Being mended' }))
  world.save(hoursAgo(2.6), mailbox('finn.garrow'), defect.write)
  world.save(hoursAgo(2.2), mailbox('greta.halloran'), world.update('defects', defect.id, { status: 'Parts ordered' }))
  const claim = world.create('claims', { passenger: 12, booking: null, kind: 'Vehicle damage', amount: 1_890, owner: world.person('rafi.demir'), due: world.date(0, 14) })
  world.save(hoursAgo(30), mailbox('rafi.demir'), claim.write)
  world.save(hoursAgo(5), mailbox('rafi.demir'), world.update('claims', claim.id, { status: 'In review' }))
  world.save(hoursAgo(3.4), mailbox('rafi.demir'), world.update('claims', claim.id, { offer: 900 }))
  world.save(hoursAgo(1.1), mailbox('rafi.demir'), world.update('claims', claim.id, { status: 'Offer made', offer: 1_250 }))
}
