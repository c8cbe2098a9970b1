import type { Action } from '../../document/document'
import { type Deeds, nameOf } from './deeds'
import { readPerson } from './operands'
import { readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { readValue } from './values'
import { EVERY_OTHER, FOR, IN, TASK_VERBS } from './vocabulary'

export function readTask(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    if (!r.take(TASK_VERBS)) return null
    const action: Extract<Action, { do: 'task' }> = { name: nameOf('task', deeds), do: 'task', subject: '' }
    while (r.attempt(() => readTaskPart(r, scope, action) || null)) if (r.isDone) break
    return action
  })
}

/** Whose a task is, when it is due, or what it is called; false where none of these stands here. */
function readTaskPart(r: Reader, scope: Scope, task: Extract<Action, { do: 'task' }>): boolean {
  r.sign(',')
  const token = r.token
  if (token?.kind === 'quoted') {
    r.at++
    task.subject = token.text
    return true
  }
  if (task.owner === undefined && r.take(FOR)) {
    if (r.take(EVERY_OTHER)) return true
    const owner = ownerPath(r, scope)
    if (owner === null) return false
    task.owner = owner
    return true
  }
  const due = task.due === undefined ? readDue(r, scope) : null
  if (due === null) return false
  task.due = due.value
  return true
}

/** A path to a person, or somebody by name, me or an e-mail. */
function ownerPath(r: Reader, scope: Scope): string | null {
  return (
    r.attempt(() => {
      const path = readPath(r, scope)
      return path && (path.field?.type === 'person' || path.leadsTo?.name === 'person') ? path.path : null
    }) ?? r.attempt(() => readPerson(r, scope))
  )
}

const readDue = (r: Reader, scope: Scope) => {
  const plain = r.attempt(() => readValue(r, scope, { type: 'date' }))
  if (plain) return plain
  return r.attempt(() => (r.take(IN) ? readValue(r, scope, { type: 'date' }) : null))
}
