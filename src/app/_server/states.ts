import { readOpenId } from '@/store/access/openid'
import { readImport } from '@/store/bulk/imports'
import { listHooks } from '@/store/hooks'
import { listChannels } from '@/store/notices'
import { listGroups } from '@/store/people'
import { readSettings } from '@/store/settings'
import { listSenders, listTemplates } from '@/store/templates'
import { pool } from './environment'
import { figureRowOf, shownFigure } from './figures'
import { mailGoesTo } from './mail-server'
import { shownPeople } from './persons'
import { Problem } from './problem'
import { tableOf } from './reading'

type Names = Readonly<Record<string, string>>

/** What there is under a name of a list. @throws Problem 404 */
function named<T extends { readonly name: string }>(list: readonly T[], name: string | undefined, what: string): T {
  const found = list.find((one) => one.name === name)
  if (!found) throw new Problem(404, 'Not found', `There is no ${what} ${JSON.stringify(name)}.`)
  return found
}

/**
 * What stands under the paths of calls that are conditional: what GET answers, whose entity tag PUT, POST and DELETE of the same path are held against. Records and drafts of
 * workflows are held against theirs within the transaction that writes them.
 */
export const STATES = {
  '/api/v1/tables/[name]': async ({ name = '' }: Names) => {
    const { figures: _, ...table } = (await tableOf(name)).table
    return table
  },
  '/api/v1/templates/[name]': async ({ name }: Names) => named(await listTemplates(pool()), name, 'template'),
  '/api/v1/senders/[name]': async ({ name }: Names) => named(await listSenders(pool()), name, 'sender identity'),
  '/api/v1/channels/[name]': async ({ name }: Names) => named(await listChannels(pool()), name, 'channel'),
  '/api/v1/webhooks/[name]': async ({ name }: Names) => named(await listHooks(pool()), name, 'webhook'),
  '/api/v1/groups/[name]': async ({ name }: Names) => named(await listGroups(pool()), name, 'group'),
  '/api/v1/people/[email]': async ({ email = '' }: Names) => {
    const person = (await shownPeople()).find((p) => p.email.toLowerCase() === email.toLowerCase())
    if (!person) throw new Problem(404, 'Not found', `There is nobody here with the address ${email}.`)
    return person
  },
  '/api/v1/figures/[name]': async ({ name = '' }: Names) => shownFigure(await figureRowOf(name)),
  '/api/v1/imports/[name]': async ({ name = '' }: Names) => {
    const known = await readImport(pool(), name)
    if (!known) throw new Problem(404, 'Not found', `There is no import called ${JSON.stringify(name)}.`)
    return known
  },
  '/api/v1/settings': () => readSettings(pool()),
  '/api/v1/settings/openid': async () => ({ openid: await readOpenId(pool()) }),
  '/api/v1/settings/mail-server': () => mailGoesTo(pool()),
} as const satisfies Record<string, (names: Names) => Promise<unknown>>

const BY_PATH = new Map<string, (names: Names) => Promise<unknown>>(Object.entries(STATES))

/** How the state of a path is read; undefined where it has none. */
export const stateAt = (path: string): ((names: Names) => Promise<unknown>) | undefined => BY_PATH.get(path)
