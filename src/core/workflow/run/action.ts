import type { Action } from '../../document/document'
import type { RootDef } from '../../paths/roots'
import { TakesLong } from '../../values/budget'
import { compileEmail } from './email'
import { compileChoose, compileEach } from './flow'
import type { ActionSetting, Performer } from './setting'
import { compileCreate, compileNotice, compileTask, compileUpdate } from './writes'

/** Compiles actions that are done one after the other; muted ones are passed over. A created record is known to those after it. */
export function compileActions(actions: readonly Action[], path: string, setting: ActionSetting): Performer {
  const roots = new Map<string, RootDef>(setting.roots)
  const performers: Performer[] = []
  actions.forEach((action, i) => {
    if (action.muted) return
    const perform = compileAction(action, `${path}/${i}`, { ...setting, roots: new Map(roots) })
    performers.push(action.do === 'choose' || action.do === 'each' ? perform : sayingWhere(action.name, perform))
    const created = action.do === 'create' ? setting.schema.get(action.table) : undefined
    if (created) roots.set(action.name, { kind: 'record', table: created })
  })
  return (run) => {
    for (const perform of performers) {
      perform(run)
      if (run.lookups.lacking()) return // what follows may depend on what is missing; it is worked out when that is loaded
    }
  }
}

/** What goes wrong in an action is said with the action's name. */
function sayingWhere(name: string, perform: Performer): Performer {
  return (run) => {
    try {
      perform(run)
    } catch (error) {
      if (error instanceof TakesLong) throw error
      throw new Error(`In “${name}”: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
}

function compileAction(action: Action, path: string, setting: ActionSetting): Performer {
  switch (action.do) {
    case 'email':
      return compileEmail(action, path, setting)
    case 'notice':
      return compileNotice(action, path, setting)
    case 'update':
      return compileUpdate(action, path, setting)
    case 'create':
      return compileCreate(action, path, setting)
    case 'task':
      return compileTask(action, path, setting)
    case 'choose':
      return compileChoose(action, path, setting)
    case 'each':
      return compileEach(action, path, setting)
  }
}
