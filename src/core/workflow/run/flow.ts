import { compileCondition } from '../../conditions/compile'
import type { OtherAction } from '../../document/document'
import { must } from '../../must'
import type { RootDef } from '../../paths/roots'
import { titleOf } from '../../values/tables'
import { entrySetting } from './bring-in'
import { listIn } from './resolve'
import type { ActionSetting, Performer } from './setting'
import type { RunState } from './state'

type Of<Do extends OtherAction['do']> = Extract<OtherAction, { do: Do }>

/** Compiles a choice: the first branch whose condition holds is taken, else what stands under otherwise. */
export function compileChoose(action: Of<'choose'>, path: string, setting: ActionSetting): Performer {
  const branches = action.branches.map((branch, i) => ({
    condition: compileCondition(branch.when, setting.table, setting, `${path}/branches/${i}/when`),
    perform: setting.compileActions(branch.actions, `${path}/branches/${i}/actions`, setting),
    path: `${path}/branches/${i}`,
  }))
  const otherwise = setting.compileActions(action.otherwise ?? [], `${path}/otherwise`, setting)
  return (run) => {
    const taken = branches.find((branch) => branch.condition.test(run.facts()))
    run.notes.push({
      code: 'chose',
      path: taken?.path ?? `${path}/otherwise`,
      message: taken ? 'This branch was taken.' : 'No branch held, so what stands under otherwise was done.',
    })
    if (taken) taken.perform(run)
    else otherwise(run)
  }
}

/** The table of the entries that a for-each goes through; null where the list is not known. */
export function eachTable(of: string, setting: Pick<ActionSetting, 'table' | 'roots' | 'surroundings'>): RootDef | null {
  const root = setting.roots.get(of)
  if (root?.kind === 'list') return root
  const [name] = of.split('.')
  const table = of.includes('.') ? setting.surroundings.schema.get(must(name)) : undefined
  return table ? { kind: 'list', table } : null
}

/** Has the notes of one entry name it; that nobody was there for one entry says nothing of the others. */
function nameLeftOut(run: RunState, from: number, title: string): void {
  const own = run.notes.splice(from)
  const empty = own.filter((note) => note.code === 'nobody')
  for (const note of own) {
    const isCause = empty.some((e) => note.path.startsWith(`${e.path}/`))
    if (note.code === 'nobody') run.notes.push({ ...note, code: LEFT_OUT, message: `${title}: no address` })
    else if (!isCause || note.code !== 'blank address') run.notes.push({ ...note, message: note.message.startsWith(`${title}:`) ? note.message : `${title}: ${note.message}` })
  }
}

/** An entry of a repetition that nobody could be written to about. */
const LEFT_OUT = 'left out'

/** Where no entry at all had anybody, says so once for each action. */
function sayNobody(run: RunState, path: string): void {
  const empty = new Set(run.notes.filter((note) => note.code === LEFT_OUT && note.path.startsWith(`${path}/`)).map((note) => note.path))
  for (const at of empty) run.notes.push({ code: 'nobody', path: at, message: 'Nothing was sent: there is nobody to send to.' })
}

/** Compiles a repetition: the actions are done for each entry that meets the condition, under the entry's name. */
export function compileEach(action: Of<'each'>, path: string, setting: ActionSetting): Performer {
  const root = eachTable(action.of, setting)
  if (root?.kind !== 'list') throw new Error(`There is no list called ${JSON.stringify(action.of)}.`)
  const where = action.where ? compileCondition(action.where, root.table, entrySetting(setting, setting.table), `${path}/where`) : null
  const inside: ActionSetting = { ...setting, roots: new Map([...setting.roots, [action.as, { kind: 'record', table: root.table }]]) }
  const perform = setting.compileActions(action.actions, `${path}/actions`, inside)
  return (run) => {
    const list = listIn(run, action.of)
    if (run.lookups.lacking()) return
    const before = run.roots.get(action.as)
    const sent = run.messages.length
    for (const image of list?.images ?? []) {
      run.budget.spend(1)
      if (where && !where.test({ ...run.facts(image), before: image })) continue
      run.roots.set(action.as, { kind: 'record', table: root.table, image })
      const from = run.notes.length
      perform(run)
      nameLeftOut(run, from, titleOf(root.table, image))
    }
    if (run.messages.length === sent) sayNobody(run, path)
    if (before) run.roots.set(action.as, before)
    else run.roots.delete(action.as)
  }
}
