import type { Action, EmailAction } from '../document/document'
import type { Context } from './context'

/** Checks that a member's own workflow does nothing but write to that member. `only` is their address; `path` the actions' JSON Pointer. */
export function reviewOwn(actions: readonly Action[], path: string, only: string, error: Context['error']): void {
  actions.forEach((action, i) => {
    const at = `${path}/${i}`
    if (action.muted) return
    if (action.do === 'email') return reviewOwnEmail(action, at, only, error)
    if (action.do === 'each') return reviewOwn(action.actions, `${at}/actions`, only, error)
    if (action.do !== 'choose')
      return error('not for members', at, 'A workflow of one’s own only sends mail to its keeper. Remove the line, or ask an administrator to make this workflow.')
    action.branches.forEach((branch, b) => {
      reviewOwn(branch.actions, `${at}/branches/${b}/actions`, only, error)
    })
    reviewOwn(action.otherwise ?? [], `${at}/otherwise`, only, error)
  })
}

function reviewOwnEmail(action: EmailAction, at: string, only: string, error: Context['error']): void {
  for (const list of ['to', 'cc', 'bcc', 'ifNobody'] as const)
    action[list]?.forEach((entry, i) => {
      if ('address' in entry && entry.address.trim().toLowerCase() === only.toLowerCase()) return
      error('not for members', `${at}/${list}/${i}`, `A workflow of one’s own writes to its keeper alone: keep ${only}, and take everybody else away.`)
    })
}
