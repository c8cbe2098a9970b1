import type { NamedThing, ThingRenamed } from '@/core/workflow/rename/thing'
import { maybeOne, type Queryable, touch } from '../database'
import { Refused } from '../problems'
import { readdress } from './readdress'

/** Where things are kept that workflows name, and how it is said that there is none, or another, of a name. */
interface Kept {
  readonly find: string
  readonly rename: string
  readonly none: (name: string) => string
  readonly taken: (name: string) => string
}

const THINGS: Readonly<Record<NamedThing, Kept>> = {
  person: {
    find: 'select id::text as id, email as name from rappel.person where rappel.folded(email) = rappel.folded($1)',
    rename: 'update rappel.person set email = $2, updated_at = now() where email = $1',
    none: (name) => `Nobody here has the address ${name}.`,
    taken: (name) => `Somebody here has the address ${name} already.`,
  },
  team: {
    find: 'select team as id, team as name from rappel.person where team = $1 limit 1',
    rename: 'update rappel.person set team = $2, updated_at = now() where team = $1',
    none: (name) => `Nobody here is of a team ${JSON.stringify(name)}.`,
    taken: (name) => `There is a team ${name} already. Give its people that team one by one, where both are to be one.`,
  },
  group: own('group', 'person_group'),
  template: own('template', 'template'),
  sender: own('sender', 'sender'),
  channel: own('channel', 'channel'),
}

function own(thing: NamedThing, table: string): Kept {
  return {
    find: `select name as id, name from rappel.${table} where name = $1`,
    rename: `update rappel.${table} set name = $2 where name = $1`,
    none: (name) => `There is no ${thing} ${JSON.stringify(name)}.`,
    taken: (name) => `There is a ${thing} ${name} already.`,
  }
}

const find = (db: Queryable, { thing }: ThingRenamed, name: string) => maybeOne<{ id: string; name: string }>(db, THINGS[thing].find, [name])

/** What a thing that is to be renamed is called, as it is kept. @throws Refused where there is none, or another is called so already */
export async function keptThing(db: Queryable, renamed: ThingRenamed): Promise<string> {
  const { thing, from, to } = renamed
  const found = await find(db, renamed, from.trim())
  if (!found) throw new Refused('not found', THINGS[thing].none(from))
  const other = await find(db, renamed, to)
  if (other && other.id !== found.id) throw new Refused('conflict', THINGS[thing].taken(to), [{ code: 'taken', path: '/to', message: THINGS[thing].taken(to) }])
  return found.name
}

/** Gives it the name where it is kept, and where what is kept of it goes by its name. */
export async function nameThing(db: Queryable, { thing, from, to }: ThingRenamed): Promise<void> {
  await touch(db, THINGS[thing].rename, [from, to])
  if (thing === 'person') await readdress(db, from, to)
  if (thing === 'template') await touch(db, `update rappel.template_version set document = jsonb_set(document::jsonb, '{name}', to_jsonb($1::text)) where name = $1`, [to])
  if (thing === 'channel') await touch(db, `update rappel.notice set channel = $2 where channel = $1 and state in ('queued', 'held')`, [from, to])
}
