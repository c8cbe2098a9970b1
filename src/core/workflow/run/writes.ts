import type { OtherAction } from '../../document/document'
import { ownerEntry } from '../../document/task-owner'
import { checkRooted, endTable } from '../../paths/roots'
import { resolveRecipients } from '../../recipients/recipients'
import { spokenPath } from '../../values/naming'
import { fieldOf, type Image, idFrom, recordPath, type TableDef, titleOf } from '../../values/tables'
import { recipientFacts, resolveIn } from './resolve'
import type { ActionSetting, Performer } from './setting'
import type { RunState } from './state'
import { compileSet, compileText, compileValue } from './values'

type Of<Do extends OtherAction['do']> = Extract<OtherAction, { do: Do }>

/** Whether an update's target is the run's own record, by whichever of its names. */
function isOwnRecord(target: string, table: TableDef): boolean {
  if (table.none !== undefined) return false
  return target === 'record' || target === table.singular
}

/** The table that an update's target belongs to: the record's, or that of a named record or list. Null where there is none. */
export function targetTable(target = 'record', setting: Pick<ActionSetting, 'table' | 'roots' | 'surroundings'>): TableDef | null {
  if (isOwnRecord(target, setting.table)) return setting.table
  const rooted = checkRooted(setting.surroundings.schema, setting.table, setting.roots, target)
  return 'problem' in rooted ? null : endTable(setting.surroundings.schema, rooted)
}

/** Compiles an update of the record, of a linked or brought-in one, or of each entry of a list. */
export function compileUpdate(action: Of<'update'>, path: string, setting: ActionSetting): Performer {
  const name = action.target ?? 'record'
  const target = targetTable(name, setting)
  if (!target) throw new Error(`There is nothing called ${JSON.stringify(name)} to update.`)
  const set = compileSet(action.set, target, setting.table, setting, setting.surroundings)
  return (run) => {
    const isOwn = isOwnRecord(name, setting.table)
    const held = isOwn ? undefined : run.root(name)
    if (held?.kind === 'list') {
      for (const image of held.images) run.update(path, target, image, set(run))
      return
    }
    const own = run.occasion.record
    const id = idFrom(isOwn ? own : held?.kind === 'record' ? held.image?.id : resolveIn(run, setting.roots, name).value)
    const isRecord = target === setting.table && own !== null && id === own
    const image = isRecord ? { ...run.record(), id: own } : id === null ? null : run.lookups.record(target.name, id)
    if (run.lookups.lacking()) return
    if (!image) {
      run.notes.push({ code: 'nothing to update', path, message: `${name} is blank, so nothing was updated.` })
      return
    }
    if (run.occasion.change?.kind === 'deleted' && isRecord) throw new Error(`The ${target.singular} was deleted and cannot be updated.`)
    run.update(path, target, image, set(run))
  }
}

/** Compiles a creation; what is created goes by the action's name from then on. */
export function compileCreate(action: Of<'create'>, path: string, setting: ActionSetting): Performer {
  const target = setting.surroundings.schema.get(action.table)
  if (!target) throw new Error(`There is no table ${JSON.stringify(action.table)}.`)
  const set = compileSet(action.set, target, setting.table, setting, setting.surroundings)
  return (run) => {
    run.roots.set(action.name, { kind: 'record', table: target, image: run.create(path, target, set(run)) })
  }
}

/** The table that tasks are kept in, and the fields of it that a task fills. */
export const TASK_TABLE = 'tasks'

/** The record that a task is about: what its path leads to, or the run's own, also where the path is blank. */
function aboutOf(action: Of<'task'>, run: RunState, setting: ActionSetting): { table: TableDef; image: Image } | null {
  const own = run.occasion.record === null ? null : { table: run.table, image: run.record() }
  if (action.about === undefined) return own
  const { value, target } = resolveIn(run, setting.roots, action.about)
  const table = setting.surroundings.schema.get(target ?? '')
  const id = idFrom(value)
  const image = table && id !== null ? run.lookups.record(table.name, id) : null
  return table && image ? { table, image } : own
}

/** The id of the person whom a task is for: the one with an e-mail, or the one that a path leads to; null where there is none. */
function taskOwner(owner: string, run: RunState, { roots, surroundings }: ActionSetting): number | null {
  if ('address' in ownerEntry(owner)) return surroundings.people.get(owner.trim().toLowerCase()) ?? null
  const { target, value } = resolveIn(run, roots, owner)
  return target === 'person' && value ? Number(value) : null
}

const noOwner = (owner: string) => ('address' in ownerEntry(owner) ? `nobody here has the address ${owner}` : `${spokenPath(owner)} is blank`)

/**
 * Compiles a task: a record of the table of tasks, with subject, owner, due and note where it has those. What it is about stands in the
 * field that links to such records, or else at the end of the note with its page.
 */
export function compileTask(action: Of<'task'>, path: string, setting: ActionSetting): Performer {
  const target = setting.surroundings.schema.get(TASK_TABLE)
  if (!target) throw new Error('There is no table of tasks.')
  const subject = compileText(action.subject, setting.surroundings)
  const note = action.note === undefined ? null : compileText(action.note, setting.surroundings)
  const due = action.due === undefined ? null : compileValue(action.due, setting.table, setting, setting.surroundings)
  return (run) => {
    const owner = action.owner ? taskOwner(action.owner, run, setting) : null
    const person = owner === null ? null : run.lookups.record('person', owner)
    if (run.lookups.lacking()) return
    if (action.owner && !person) run.notes.push({ code: 'no owner', path, message: `The task has no owner: ${noOwner(action.owner)}.` })
    const day = due ? String(due(run) ?? '').slice(0, 10) || null : null
    const about = aboutOf(action, run, setting)
    if (run.lookups.lacking()) return
    const linked = about ? target.fields.find((f) => f.type === 'link' && f.table === about.table.name) : undefined
    const aboutLine = linked || !about ? '' : `About ${titleOf(about.table, about.image)}: ${setting.surroundings.baseUrl}${recordPath(about.table.name, about.image.id)}`
    const noted = [note ? note(run).trimEnd() : '', aboutLine].filter(Boolean).join('\n\n') || null
    const given = { subject: subject(run).trim(), owner, due: day, note: noted }
    const set = { ...Object.fromEntries(Object.entries(given).filter(([name]) => fieldOf(target, name))), ...(linked && about ? { [linked.name]: about.image.id ?? null } : {}) }
    run.create(path, target, set)
    run.tasks.push({ path, subject: given.subject, owner: person ? String(person.email) : null, due: day, note: given.note })
  }
}

/** Compiles a notice: to a channel, to people in the application, or both. */
export function compileNotice(action: Of<'notice'>, path: string, setting: ActionSetting): Performer {
  const title = compileText(action.title ?? '', setting.surroundings)
  const text = compileText(action.text, setting.surroundings)
  return (run) => {
    const who = action.to?.length ? noticePeople(action, path, run, setting) : []
    if (run.lookups.lacking()) return
    if (!action.channel && who.length === 0) {
      run.notes.push({ code: 'nobody', path, message: 'No notice was given: there is nobody to give it to.' })
      return
    }
    run.notices.push({ path, channel: action.channel ?? null, people: who.map((w) => w.id), to: who.map((w) => w.email), title: title(run), text: text(run) })
  }
}

function noticePeople(action: Of<'notice'>, path: string, run: Parameters<Performer>[0], setting: ActionSetting): { id: number; email: string }[] {
  const { to, notes } = resolveRecipients({ to: action.to ?? [] }, { ...recipientFacts(run, setting.roots), isShown: true }, { to: `${path}/to`, cc: '', bcc: '' })
  run.notes.push(...notes)
  return to.flatMap((one) => {
    const id = one.table?.name === 'person' && one.image ? Number(one.image.id) : run.surroundings.people.get(one.address.toLowerCase())
    if (id !== undefined) return [{ id, email: one.address }]
    run.notes.push({ code: 'not here', path: one.path, message: `${one.address} is nobody who is here, so the notice is not shown to them.` })
    return []
  })
}
