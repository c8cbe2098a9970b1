import { must } from '@/core/must'
import { at as mailbox } from '../people'
import type { Write } from './events'
import { FIRST_NAMES, ITEMS, LAST_NAMES, VESSELS } from './names'
import type { World } from './world'

const ROUTES = ['Northhaven – Ternsay', 'Ternsay – Holm', 'Holm – Brae', 'Brae – Skellan']
const DEPARTURES = [6 * 60 + 20, 7 * 60 + 40, 13 * 60 + 15, 18 * 60 + 5]
const GALES = [3, 4, 5, 6, 7]
const OFFICERS = ['duncan.aird', 'mirela.stan', 'finn.garrow']

/** The fleet and its stores, as they stood when the history begins. */
export function fleet(world: World): void {
  const start = world.moment(world.days, 300)
  const keepers = ['idris.penhale', 'yusuf.tarrant', 'bettina.skow']
  const writes: Write[] = VESSELS.map(
    (name, i) =>
      world.create('vessels', {
        name,
        status: 'In service',
        superintendent: world.person(i % 2 ? 'greta.halloran' : 'idris.penhale'),
        next_inspection: world.date(world.days, 60 + i * 20),
      }).write,
  )
  for (let vessel = 1; vessel <= VESSELS.length; vessel++)
    for (const item of ITEMS) {
      const level = world.chance.whole(4, 20)
      const keeper = world.chance.happens(0.06) ? null : world.person(must(keepers[vessel % 3]))
      writes.push(
        world.create('items', {
          item,
          vessel,
          quantity: level + world.chance.whole(2, 30),
          reorder_level: level,
          expires: world.date(world.days, world.chance.whole(30, 500)),
          inspected: null,
          keeper,
        }).write,
      )
    }
  world.save(start, 'import', ...writes)
}

/** People who travel: many at the start by import, a few more each day; some without phone, some without address. */
export function passengers(world: World): void {
  const { chance } = world
  const passenger = () => {
    const [first, last] = [chance.one(FIRST_NAMES), chance.one(LAST_NAMES)]
    const plain = `${first}.${last}`
      .toLowerCase()
      .normalize('NFD')
      .replaceAll(/[^a-z.]/g, '')
    const id = world.lastId('passengers') + 1
    return world.create('passengers', {
      name: `${first} ${last}`,
      first_name: first,
      last_name: last,
      email: chance.happens(0.07) ? null : `${plain}${id}@example.${chance.one(['org', 'net'])}`,
      phone: chance.happens(0.25) ? null : `07700 ${String(900_000 + id).slice(-6)}`,
      speaks: chance.early(['English', 'German', 'Norwegian', 'Polish']),
      assistance_needed: chance.happens(0.05),
    }).write
  }
  world.save(world.moment(world.days, 310), 'import', ...Array.from({ length: 400 }, passenger))
  for (let day = world.days - 1; day >= 0; day--) world.save(world.officeHours(day), 'system', ...Array.from({ length: chance.whole(2, 7) }, passenger))
}

/** Each day's sailings: planned a week ahead, booked, boarded, sailed, sometimes late; a week of gales cancels many. */
export function sailings(world: World): void {
  for (let day = world.days - 1; day >= -5; day--) {
    const planned = Math.min(world.days - 1, day + 7)
    const writes: Write[] = []
    const ids: { id: number; minute: number; capacity: number }[] = []
    ROUTES.forEach((route, r) =>
      DEPARTURES.forEach((minute) => {
        const capacity = r === 0 ? 180 : 120
        const vessel = ((r + day + world.days) % VESSELS.length) + 1
        const officer = world.person(must(OFFICERS[(day + r + world.days) % 3]))
        const made = world.create('sailings', {
          route,
          vessel,
          departs_at: world
            .moment(day, minute)
            .toISOString()
            .replace(/:\d\d\.\d{3}Z/, ':00.000Z'),
          capacity,
          booked: 0,
          fares: 0,
          duty_officer: officer,
        })
        writes.push(made.write)
        ids.push({ id: made.id, minute, capacity })
      }),
    )
    world.save(world.moment(planned, 320), 'import', ...writes)
    for (const sailing of ids) oneSailing(world, day, sailing)
  }
}

/** The sailings of a year before, as the books of then have them: one for each route and day, with the day's totals. */
export function lastSeason(world: World): void {
  const { chance } = world
  const writes: Write[] = []
  for (let day = YEAR + world.days; day >= YEAR - 60; day--)
    ROUTES.forEach((route, r) => {
      const booked = chance.whole(110, [0, 6].includes(world.weekday(day)) ? 260 : 190)
      const departs_at = new Date(world.moment(day, 720).setUTCSeconds(0, 0)).toISOString()
      const image = { route, vessel: ((r + day) % VESSELS.length) + 1, departs_at, capacity: r === 0 ? 720 : 480, booked, fares: booked * 13.5, status: 'Sailed', minutes_late: 0 }
      writes.push(world.create('sailings', image).write)
    })
  world.save(world.moment(world.days, 315), 'import', ...writes)
}

/** Whole weeks, so that weekdays meet. */
const YEAR = 364

function oneSailing(world: World, day: number, { id, minute, capacity }: { id: number; minute: number; capacity: number }): void {
  const { chance } = world
  const weekend = [0, 6].includes(world.weekday(day))
  const early = chance.whole(5, capacity / (weekend ? 2 : 4))
  const late = Math.min(capacity, early + chance.whole(0, weekend ? 70 : 40))
  bookings(world, day + chance.whole(2, 5), id, chance.whole(1, 4))
  world.save(world.officeHours(day + 2), 'system', world.update('sailings', id, { booked: early, fares: early * 14.5 }))
  bookings(world, day + 1, id, chance.whole(1, 5))
  world.save(world.officeHours(day + 1), 'system', world.update('sailings', id, { booked: late, fares: late * 14.5 }))
  const officer = mailbox(chance.one(OFFICERS))
  if (GALES.includes(day) ? chance.happens(0.55) : chance.happens(0.012)) {
    world.save(world.moment(day, minute - chance.whole(90, 240)), officer, world.update('sailings', id, { status: 'Cancelled' }))
    if (chance.happens(0.4)) world.save(world.moment(day, minute - 30), officer, world.update('sailings', id, { fares: 0 }))
    return
  }
  world.save(world.moment(day, minute - 25), officer, world.update('sailings', id, { status: 'Boarding' }))
  const isLate = chance.happens(0.12)
  if (isLate) world.save(world.moment(day, minute + 2), officer, world.update('sailings', id, { status: 'Late', minutes_late: chance.whole(6, 55) }))
  world.save(world.moment(day, minute + (isLate ? 40 : 3)), officer, world.update('sailings', id, { status: 'Sailed', ...(isLate ? {} : { minutes_late: 0 }) }))
}

function bookings(world: World, day: number, sailing: number, count: number): void {
  const { chance } = world
  const made = Array.from({ length: count }, () => {
    const seats = chance.whole(1, 4)
    return world.create('bookings', {
      sailing,
      passenger: chance.whole(1, 400),
      seats,
      vehicle: chance.early(['None', 'Car', 'Bicycle', 'Van']),
      paid: chance.happens(0.8),
      fare: seats * 14.5,
    }).write
  })
  if (!world.save(world.officeHours(Math.min(day, world.days - 1)), 'system', ...made)) return
}

/** Stores are used, refilled and sometimes struck off. */
export function stores(world: World): void {
  const { chance } = world
  const count = VESSELS.length * ITEMS.length
  const left = new Map(Array.from({ length: count }, (_, i) => [i + 1, chance.whole(10, 30)]))
  for (let day = world.days - 1; day >= 0; day--)
    for (let i = chance.whole(20, 42); i > 0; i--) {
      const id = chance.whole(1, count)
      const now = left.get(id)
      if (now === undefined) continue
      const next = now <= 8 && chance.happens(0.5) ? now + chance.whole(15, 40) : Math.max(0, now - chance.whole(1, 5))
      const by = mailbox(chance.one(['idris.penhale', 'yusuf.tarrant', 'bettina.skow']))
      const isStruckOff = chance.happens(0.002)
      if (isStruckOff && world.save(world.officeHours(day), by, { do: 'delete', table: 'items', id })) left.delete(id)
      else if (!isStruckOff) {
        world.save(world.officeHours(day), by, world.update('items', id, { quantity: next, ...(chance.happens(0.1) ? { inspected: world.date(day, 0) } : {}) }))
        left.set(id, next)
      }
    }
}
