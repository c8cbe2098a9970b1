import { mayPress, pressedPer } from '@/core/cues/by-hand'
import type { ByHandCue, Workflow } from '@/core/document/document'
import type { Deed } from '@/engine/answers/press'
import { groupsOfPerson, readPersonTeam } from '@/store/people'
import { listWorkflows, readWorkflowRow, type WorkflowRow } from '@/store/workflows'
import type { Actor } from './actor'
import { pool } from './environment'
import { Problem } from './problem'

/** A row whose live version is run by hand. */
type Live = WorkflowRow & { readonly live: Workflow & { readonly cue: ByHandCue }; readonly version: number }

const isLiveByHand = (row: WorkflowRow): row is Live => row.state === 'live' && row.version !== null && row.live?.cue.kind === 'by hand'

/** Whether somebody may run a workflow by hand: those whom its cue names; one that a member keeps is theirs alone. */
async function presserOf(actor: Actor): Promise<(row: Live) => boolean> {
  const { person, role } = actor
  const [team, groups] = person === null ? [null, []] : await Promise.all([readPersonTeam(pool(), person), groupsOfPerson(pool(), person)])
  return (row) => (row.keeper === null || row.keeper === person) && mayPress(row.live.cue, { role, team, groups })
}

/** What somebody may do by hand, for records of a table where one is given. */
export async function deedsFor(actor: Actor, table: string | null): Promise<Deed[]> {
  const may = await presserOf(actor)
  return (await listWorkflows(pool())).filter(isLiveByHand).flatMap((row) => {
    const { live, name } = row
    if ((table !== null && live.table !== table) || !may(row)) return []
    return [{ workflow: name, note: live.note ?? null, table: live.table, per: pressedPer(live.cue), over: live.cue.over?.figure ?? null, ask: live.cue.ask ?? [] }]
  })
}

/** A workflow that somebody may run by hand. @throws Problem where there is none, it is not live or not run by hand, or they may not */
export async function pressable(actor: Actor, name: string): Promise<Live> {
  const row = await readWorkflowRow(pool(), name)
  const hidden = new Problem(404, 'Not found', `There is no workflow called ${JSON.stringify(name)} that you may run by hand.`)
  if (!row) throw hidden
  if (!isLiveByHand(row)) {
    if (actor.role === 'member') throw hidden
    throw new Problem(
      409,
      'Conflict',
      row.live && row.live.cue.kind !== 'by hand'
        ? `${JSON.stringify(name)} is not run by hand.`
        : `${JSON.stringify(name)} is ${row.state}; only a live workflow can be run by hand.`,
    )
  }
  if (!(await presserOf(actor))(row)) {
    if (actor.role === 'member') throw hidden
    throw new Problem(403, 'Not allowed', `${JSON.stringify(name)} may be run by others only; its brief says by whom.`)
  }
  return row
}
