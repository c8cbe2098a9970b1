import { type Condition, isClause } from '../../document/condition'
import type { Action, Workflow } from '../../document/document'
import { valueAt } from '../../document/pointer'
import { LIMIT_PARTS, limitWords } from '../../limits/words'
import { membersOf } from '../../must'
import { briefOf, type Line } from '../brief'
import { noDeeds } from '../read/deeds'
import type { Installation } from '../read/installation'
import { isSame, writeDetail } from './details'
import { calledOf, EXACTLY } from './members'
import { nounIn, type Said, saidAction, saidBring, saidCondition, saidCue, saidLimit, saidValue } from './parts'
import { readBriefText } from './read'

const INDENT = '    '

/** Members of an action that stand in lines of their own. */
const NESTED = new Set(['do', 'actions', 'branches', 'otherwise', 'muted'])

/**
 * A workflow as text: the lines of its brief, and under each what its words do not say. Reading it gives the same document: each line is read back as it is written, and what would not come
 * back the same is given exactly (JSON, RFC 8259).
 */
export function briefText(workflow: Workflow, installation: Installation): string {
  const text = writtenOut(workflow, installation)
  const read = readBriefText(text, installation)
  if (read.workflow && isSame(read.workflow, workflow)) return text
  return `${[writeDetail('Workflow', workflow.name, ''), writeDetail(EXACTLY, workflow, ''), '', ...linesOf(workflow, installation)].join('\n')}\n` // of a table that is gone, and the like
}

/** The lines of a workflow's brief, each with what its words do not say; of a workflow whose table is known that is all of it. */
export function writtenOut(workflow: Workflow, installation: Installation): string {
  const head = [writeDetail('Workflow', workflow.name, '')]
  for (const member of ['note', 'refire', 'examples'] as const) if (workflow[member] !== undefined) head.push(writeDetail(member, workflow[member], ''))
  for (const member of ['bringIn', 'values'] as const) if (workflow[member]?.length === 0) head.push(writeDetail(calledOf(member), [], ''))
  const { limits = {} } = workflow
  const quiet = LIMIT_PARTS.filter((part) => limits[part] !== undefined && !limitWords(part, limits, '')).map((part) => [part, limits[part]])
  if (workflow.limits && (quiet.length > 0 || Object.keys(workflow.limits).length === 0)) head.push(writeDetail('limits', Object.fromEntries(quiet), ''))
  if (workflow.firing !== undefined && !(workflow.firing === 'every' && workflow.conditions)) head.push(writeDetail('firing', workflow.firing, ''))
  return `${[...head, '', ...linesOf(workflow, installation)].join('\n')}\n`
}

function linesOf(workflow: Workflow, installation: Installation): string[] {
  const deeds = noDeeds()
  return briefOf(workflow, installation).flatMap((line) => {
    const alone = line.kind === 'conditions' && line.depth === 0 && workflow.conditions && isClause(workflow.conditions)
    const words = (alone ? line.words.replace('all of these hold', 'this holds') : line.words).replaceAll(/\s+/g, ' ').trim()
    const role = line.role ? `${line.role.toUpperCase()} ` : ''
    const under = '  '.repeat(line.depth)
    const muted = line.muted && isMutedItself(workflow, line) ? '(muted) ' : ''
    return [
      `${under}${line.number} ${role}${muted}${words}`.trimEnd(),
      ...membersUnder(line, words, workflow, installation, deeds).flatMap((d) => d.split('\n').map((l) => (l === '' ? l : under + l))),
    ]
  })
}

/** Whether a line is muted itself, rather than what it stands under. */
const isMutedItself = (workflow: Workflow, line: Line): boolean => line.kind !== 'branch' && valueAt<{ muted?: boolean }>(workflow, line.path)?.muted === true

/** What stands under a line: every member that its words, read back, do not give. */
function membersUnder(line: Line, words: string, workflow: Workflow, installation: Installation, deeds: ReturnType<typeof noDeeds>): string[] {
  switch (line.kind) {
    case 'cue': {
      const said = saidCue(words, installation, null).is
      if (said?.cue.kind !== workflow.cue.kind) return [writeDetail(EXACTLY, { table: workflow.table, cue: workflow.cue }, INDENT)]
      return membersLeft({ table: said.table, ...said.cue }, { table: workflow.table, ...workflow.cue })
    }
    case 'clause': {
      const { muted: _, ...clause } = valueAt<Condition & { muted?: boolean }>(workflow, line.path) ?? {}
      return whole(saidCondition(words, workflow, '/conditions', installation), clause)
    }
    case 'conditions':
      return []
    case 'bring in': {
      const { muted: _, ...bring } = valueAt<NonNullable<Workflow['bringIn']>[number]>(workflow, line.path) ?? { name: '' }
      return membersLeft(saidBring(words, workflow, line.path, installation).is, bring)
    }
    case 'value':
      return membersLeft(saidValue(words).is, valueAt<object>(workflow, line.path) ?? {})
    case 'branch': {
      if (line.role === 'else') return []
      return whole(saidCondition(words, workflow, line.path, installation), valueAt<{ when: Condition }>(workflow, line.path)?.when)
    }
    case 'limit': {
      const part = LIMIT_PARTS.find((p) => line.path === `/limits/${p}`)
      if (!part) return []
      const said = saidLimit(words, nounIn(workflow, installation)).is
      const is = workflow.limits?.[part]
      if (isSame(said, { [part]: is })) return []
      const columns = typeof is === 'object' && 'columns' in is ? is.columns : undefined
      const isAllBut = columns !== undefined && said?.digest && isSame({ ...said.digest, columns }, is)
      return [isAllBut ? writeDetail('columns', columns, INDENT) : writeDetail(EXACTLY, { [part]: is }, INDENT)]
    }
    case 'action': {
      const action = valueAt<Action>(workflow, line.path)
      if (!action) return []
      const said = saidAction(line.role, words, workflow, line.path, installation, deeds).is
      deeds.names.add(action.name)
      const emptyElse = action.do === 'choose' && action.otherwise?.length === 0 ? [writeDetail('otherwise', [], INDENT)] : []
      return [...membersLeft(said && ownMembers(said), ownMembers(action)), ...emptyElse]
    }
  }
}

/** The members of an action that stand under its own line. */
const ownMembers = (action: Action): object => Object.fromEntries(Object.entries(action).filter(([member]) => !NESTED.has(member)))

/** A part that its words say whole, or else exactly. */
function whole<T>(said: Said<T>, is: unknown): string[] {
  return said.isClear && isSame(said.is, is) ? [] : [writeDetail(EXACTLY, is, INDENT)]
}

/** The members of a part that its words do not give; those that it has not, but its words would give, are none. */
function membersLeft(said: object | null, is: object): string[] {
  const known = membersOf(said)
  const lines = Object.entries(is).flatMap(([member, value]) => (value === undefined || isSame(known[member], value) ? [] : [writeDetail(calledOf(member), value, INDENT)]))
  const gone = Object.keys(known).filter((member) => known[member] !== undefined && membersOf(is)[member] === undefined)
  return [...lines, ...gone.map((member) => `${INDENT}${calledOf(member)}: none`)]
}
