import { must } from '@/core/must'
import type { Image, Stored } from '@/core/values/tables'
import { at as mailbox, PEOPLE } from '../people'
import { Chance } from './chance'
import type { Event, Write } from './events'

const DAY = 86_400_000

/** Where the history is written: events by time, ids given out per table, and people's ids by e-mail. */
export class World {
  readonly events: Event[] = []
  readonly chance: Chance
  private readonly ids = new Map<string, number>()

  constructor(
    readonly now: Date,
    readonly days: number,
    seed: number,
    private readonly people: ReadonlyMap<string, number>,
    /** The id of a file that documents hold. */
    readonly certificate: number,
  ) {
    this.chance = new Chance(seed)
  }

  /** A moment so many days ago (0 is today), at a minute of the day. */
  moment(daysAgo: number, minute: number): Date {
    const midnight = Math.floor(this.now.getTime() / DAY) * DAY
    return new Date(midnight - daysAgo * DAY + minute * 60_000 + this.chance.whole(0, 59_999))
  }

  /** A moment in office hours of a day. */
  officeHours(daysAgo: number): Date {
    return this.moment(daysAgo, this.chance.whole(7 * 60 + 30, 18 * 60))
  }

  /** Day of the week, 0 for Sunday. */
  weekday(daysAgo: number): number {
    return this.moment(daysAgo, 720).getUTCDay()
  }

  /** A date so many days from a day of the history. */
  date(daysAgo: number, daysLater: number): string {
    return new Date(this.moment(daysAgo, 720).getTime() + daysLater * DAY).toISOString().slice(0, 10)
  }

  /** The id of a person by the local part of the address. */
  person(local: string): number {
    const id = this.people.get(mailbox(local))
    if (id === undefined) throw new Error(`Nobody is called ${local} in the demo.`)
    return id
  }

  /** Somebody of a team, by id. */
  someone(team: string): number {
    return must(this.people.get(this.chance.one(PEOPLE.filter((p) => p.team === team)).email))
  }

  nextId(table: string): number {
    const id = (this.ids.get(table) ?? 0) + 1
    this.ids.set(table, id)
    return id
  }

  /** How many ids of a table were given out. */
  lastId(table: string): number {
    return this.ids.get(table) ?? 0
  }

  /** Records a save, unless it would lie in the future. */
  save(at: Date, by: string, ...writes: Write[]): boolean {
    if (at.getTime() > this.now.getTime() || writes.length === 0) return false
    this.events.push({ at, by, writes })
    return true
  }

  /** A creation with an id of its own. */
  create(table: string, image: Record<string, Stored>): { write: Write; id: number } {
    const id = this.nextId(table)
    return { id, write: { do: 'create', table, image: { id, ...image } } }
  }

  update(table: string, id: number, set: Image): Write {
    return { do: 'update', table, ids: [id], set }
  }
}
