import { figuresBehind } from '@/core/figures/computed'
import { labelOf } from '@/core/figures/label'
import { filesOfTemplate, type UsedThing, usesOf } from '@/core/workflow/uses'
import { listFigures } from '@/store/figures/definitions'
import { listTemplates } from '@/store/templates'
import { listWorkflows } from '@/store/workflows'
import { pool } from './environment'
import { Problem } from './problem'

/** The workflows whose draft or version in force names a thing. */
export async function usersOf(thing: UsedThing, name: string): Promise<string[]> {
  const rows = await listWorkflows(pool())
  return rows.filter((row) => [row.draft, row.live].some((document) => document && usesOf(document, thing).includes(name))).map((row) => row.name)
}

/** Refuses to remove what workflows or templates use. @throws Problem 409 naming them */
export async function refuseInUse(thing: UsedThing, name: string): Promise<void> {
  const templates = thing === 'file' ? (await listTemplates(pool())).filter((t) => filesOfTemplate(t).includes(name)) : []
  const figures = thing === 'figure' ? (await listFigures(pool())).filter((f) => figuresBehind(f.definition).includes(name)) : []
  const users = [...(await usersOf(thing, name)), ...figures.map((f) => `the figure ${labelOf(f.definition)}`), ...templates.map((t) => `the template ${t.name}`)]
  if (users.length) throw new Problem(409, 'In use', `${JSON.stringify(name)} is used by ${users.join(', ')}. Change ${users.length === 1 ? 'that' : 'those'} first.`)
}
