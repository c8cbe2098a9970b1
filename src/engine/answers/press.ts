import type { PressOccasion } from '@/core/cues/occasion'
import type { Ask } from '@/core/document/document'
import type { Json } from '@/core/json'
import { everybody } from '@/core/workflow/plan'
import { type ShownPlan, shownPlan } from '@/core/workflow/shown'
import type { Pressed } from '../occasions/press'

/** A workflow that is live and run by hand, as those see it who may run it. */
export interface Deed {
  readonly workflow: string
  readonly note: string | null
  readonly table: string
  readonly per: PressOccasion['per']
  /** The figure whose groups it is run for, per `group`. */
  readonly over: string | null
  readonly ask: readonly Ask[]
}

/** Plans that are told whole; of the others only to whom they would go. */
const TOLD = 20

/** What a press would do, as the API tells it: for each record, and to whom in all. */
export function shownPress(pressed: readonly Pressed[], notes: readonly string[]) {
  const to = new Map<string, number>()
  let [messages, given] = [0, 0]
  const told = pressed.map(({ occasion, title, settled }, i) => {
    const plan = 'plan' in settled ? settled.plan : null
    given += plan?.notices.length ?? 0
    for (const message of plan?.messages ?? []) {
      messages++
      for (const { address } of everybody(message)) to.set(address, (to.get(address) ?? 0) + 1)
    }
    return {
      record: occasion.record,
      title,
      fires: plan?.fires ?? false,
      why: plan?.why ?? null,
      fault: 'fault' in settled ? settled.fault : null,
      to: (plan?.messages ?? []).flatMap((m) => m.to.map((one) => one.address)),
      notes: plan?.notes ?? [],
      writes: plan?.writes.length ?? 0,
      notices: plan?.notices.length ?? 0,
      plan: plan && i < TOLD ? shownPlan(plan) : null,
    }
  })
  const recipients = [...to].map(([address, count]) => ({ address, messages: count })).sort((a, b) => b.messages - a.messages || a.address.localeCompare(b.address))
  return { records: told, runs: told.filter((r) => r.fires).length, messages, notices: given, recipients, notes }
}
type Told = Json<ReturnType<typeof shownPress>>
export type PressAnswer = Omit<Told, 'records'> & { readonly records: readonly (Omit<Told['records'][number], 'plan'> & { readonly plan: ShownPlan | null })[] }
