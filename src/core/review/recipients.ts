import type { Recipient } from '../document/document'
import { must, partsOf } from '../must'
import { checkPath } from '../paths/path'
import { checkRooted, endTable } from '../paths/roots'
import { isAddress } from '../recipients/address'
import { fieldOf, type TableDef, targetOf } from '../values/tables'
import { type Context, unknownName } from './context'
import { reviewText } from './texts'

/** Reviews one recipient entry: that what it names is there and yields addresses. */
export function reviewRecipient(entry: Recipient, path: string, context: Context): void {
  const { setting, error } = context
  if ('list' in entry) return reviewList(entry.list, entry.field, path, context)
  if ('changedBy' in entry) {
    if (context.changeParts && !context.changeParts.includes('by'))
      error('nobody', path, 'Nobody makes a change here: the workflow goes by the clock. Choose the owner, a group or an address.')
    return
  }
  if ('text' in entry) {
    if (!entry.text.trim()) error('no address', `${path}/text`, 'The text yields no address. Write one, or a placeholder that gives one, or remove the entry.')
    return reviewText(entry.text, `${path}/text`, 'plain', context)
  }
  if ('address' in entry) {
    if (entry.address.trim() === '') error('faulty address', `${path}/address`, 'The address is not written yet.')
    else if (!isAddress(entry.address.trim())) error('faulty address', `${path}/address`, `${JSON.stringify(entry.address)} is not an e-mail address, such as someone@example.org.`)
  } else if ('group' in entry) {
    if (!setting.groups.has(entry.group)) error('unknown group', `${path}/group`, unknownName('group', entry.group, setting.groups))
  } else if ('team' in entry) {
    if (!setting.teams.has(entry.team)) error('unknown team', `${path}/team`, unknownName('team', entry.team, setting.teams))
  } else if ('managerOf' in entry) reviewField(entry.managerOf, true, `${path}/managerOf`, context)
  else reviewField(entry.field, false, `${path}/field`, context)
}

function reviewField(text: string, isManager: boolean, path: string, { setting, table, roots, error }: Context): void {
  const rooted = checkRooted(setting.schema, table, roots, text)
  if ('problem' in rooted) return error('unknown field', path, rooted.problem)
  const type = rooted.path?.field.type ?? (rooted.table?.name === 'person' ? 'person' : 'link')
  const label = rooted.path?.field.label ?? text
  if (isManager && type !== 'person') error('not an address', path, `${label} is a ${type} field; only a person has a manager.`)
  if (!isManager && type !== 'person' && type !== 'email')
    error('not an address', path, `${label} is a ${type} field and gives no e-mail address. Choose a person or an email field.`)
}

/** The table of a list's entries: one that was brought in, or a related list named `table.linkField`. */
export function listTable(name: string, { setting, table, roots }: Pick<Context, 'setting' | 'table' | 'roots'>): TableDef | null {
  const root = roots.get(name)
  if (root?.kind === 'list') return root.table
  const [list, field] = partsOf(name)
  const other = setting.schema.get(list)
  const link = other && field !== undefined ? fieldOf(other, field) : undefined
  return other && link && targetOf(link) === table.name && table.none === undefined ? other : null
}

function reviewList(name: string, field: string, path: string, context: Context): void {
  const entries = listTable(name, context)
  if (!entries) {
    const lists = [...context.roots].filter(([, root]) => root.kind === 'list').map(([n]) => n)
    return context.error('unknown list', `${path}/list`, `${unknownName('list', name, lists)} Bring a list in, or name a related list as table.linkField.`)
  }
  const checked = checkPath(context.setting.schema, entries, field)
  if ('problem' in checked) return context.error('unknown field', `${path}/field`, checked.problem)
  if (checked.field.type !== 'person' && checked.field.type !== 'email')
    context.error('not an address', `${path}/field`, `${checked.field.label} is a ${checked.field.type} field and gives no e-mail address.`)
}

/** The tables that `recipient` can be a record of, from the entries that write to it. */
export function recipientTables(entries: readonly Recipient[], context: Context): TableDef[] {
  const { schema } = context.setting
  const person = schema.get('person')
  return entries.flatMap((entry) => {
    if ('list' in entry) return [listTable(entry.list, context), person].filter((t): t is TableDef => Boolean(t))
    if ('group' in entry || 'team' in entry || 'managerOf' in entry || 'changedBy' in entry) return person ?? []
    if (!('field' in entry)) return []
    const rooted = checkRooted(schema, context.table, context.roots, entry.field)
    if ('problem' in rooted) return []
    const end = endTable(schema, rooted)
    const last = rooted.path?.links[rooted.path.links.length - 1]
    const holder = last ? schema.get(must(targetOf(last))) : rooted.path?.table
    return end ?? holder ?? []
  })
}
