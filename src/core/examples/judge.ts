import type { Expectation } from '../document/document'
import { fold, isEqual } from '../values/compare'
import { fieldOf, type Schema, type Stored } from '../values/tables'
import { everybody, type Plan } from '../workflow/plan'

/** What came of a dry run, as far as an example can expect anything of it. */
export interface Outcome {
  readonly fires: boolean
  readonly why: string
  readonly messages: readonly {
    readonly to: readonly string[]
    readonly cc: readonly string[]
    readonly bcc: readonly string[]
    readonly subject: string
    readonly html: string
    readonly text: string
  }[]
  readonly updates: readonly { readonly table: string; readonly set: Readonly<Record<string, unknown>> }[]
  readonly creates: readonly { readonly table: string }[]
  readonly tasks: readonly object[]
  readonly notes: readonly { readonly code: string; readonly message: string }[]
}

/** The table that tasks are records of. */
const TASKS = 'tasks'

/** A plan as examples look at it. */
export function outcomeOf({ fires, why, messages, updates, creates, tasks, notes }: Plan): Outcome {
  const addresses = (list: readonly { readonly address: string }[]) => list.map((m) => m.address)
  return {
    fires,
    why,
    messages: messages.map(({ to, cc, bcc, subject, html, text }) => ({ to: addresses(to), cc: addresses(cc), bcc: addresses(bcc), subject, html, text })),
    updates,
    creates,
    tasks,
    notes,
  }
}

/** In which ways an outcome falls short of what was expected, each as a sentence; empty where it does not. */
export function judge(expect: Expectation, outcome: Outcome, schema: Schema): string[] {
  if (expect.fires !== outcome.fires) return [outcome.fires ? `It fires, and was not to: ${outcome.why}` : `It does not fire: ${outcome.why}`]
  return [...judgeTo(expect, outcome), ...judgeTexts(expect, outcome), ...judgeSet(expect, outcome, schema), ...judgeCreated(expect, outcome), ...judgeNotes(expect, outcome)]
}

/** Whoever is expected gets mail, and nobody else stands in To. */
function judgeTo({ to }: Expectation, { messages }: Outcome): string[] {
  if (!to) return []
  const wanted = new Set(to.map(fold))
  const inTo = new Set(messages.flatMap((m) => m.to.map(fold)))
  const reached = new Set(messages.flatMap((m) => everybody(m).map(fold)))
  return [
    ...[...wanted].filter((address) => !reached.has(address)).map((address) => `Nothing goes to ${address}.`),
    ...[...inTo].filter((address) => !wanted.has(address)).map((address) => `It goes to ${address} too, which was not expected.`),
  ]
}

function judgeTexts({ subject, bodyHas }: Expectation, { messages }: Outcome): string[] {
  const short: string[] = []
  if (subject !== undefined && !messages.some((m) => m.subject.includes(subject)))
    short.push(`No subject contains “${subject}”${messages[0] ? `; the first is “${messages[0].subject}”` : ', for there is no mail'}.`)
  for (const words of bodyHas ?? []) if (!messages.some((m) => spaced(m.text).includes(spaced(words)) || m.html.includes(words))) short.push(`No body contains “${words}”.`)
  return short
}

/** A text with every run of white space as one space: how lines are folded does not count. */
const spaced = (text: string) => text.replaceAll(/\s+/g, ' ').trim()

function judgeSet({ set }: Expectation, { updates }: Outcome, schema: Schema): string[] {
  return Object.entries(set ?? {}).flatMap(([name, wanted]) => {
    const found = updates.filter((u) => name in u.set)
    if (found.length === 0) return [`${spoken(name)} is not set.`]
    const isMet = found.some((u) => {
      const table = schema.get(u.table)
      const field = table && fieldOf(table, name)
      return isEqual(field?.type ?? 'text', u.set[name] as Stored, wanted as Stored)
    })
    return isMet ? [] : [`${spoken(name)} is set to ${said(found[0]?.set[name])}, not to ${said(wanted)}.`]
  })
}

function judgeCreated({ created }: Expectation, { creates, tasks }: Outcome): string[] {
  const made = [...creates.map((c) => c.table), ...tasks.map(() => TASKS)]
  return [...new Set(created ?? [])].flatMap((table) => {
    const wanted = (created ?? []).filter((t) => t === table).length
    const found = made.filter((t) => t === table).length
    if (found >= wanted) return []
    return [found === 0 ? `No record of ${spoken(table)} is created.` : `Of ${wanted} records of ${spoken(table)} ${found} ${found === 1 ? 'is' : 'are'} created.`]
  })
}

function judgeNotes({ notes: wanted }: Expectation, { notes }: Outcome): string[] {
  return (wanted ?? []).filter((w) => !notes.some((n) => n.code === w || n.message.includes(w))).map((w) => `There is no note “${w}”.`)
}

const spoken = (name: string) => name.replaceAll('_', ' ')

function said(value: unknown): string {
  return value === null || value === undefined || value === '' ? 'blank' : `“${String(value)}”`
}

/** All that can be expected of an outcome, which whoever keeps an example takes away from. */
export function expectationOf({ fires, messages, updates, creates, tasks, notes }: Outcome): Expectation {
  if (!fires) return { fires }
  const [first] = messages
  const made = [...creates.map((c) => c.table), ...tasks.map(() => TASKS)]
  const set = Object.assign({}, ...updates.map((u) => u.set)) as Record<string, unknown>
  return {
    fires,
    ...(messages.length ? { to: [...new Set(messages.flatMap((m) => m.to))] } : {}),
    ...(first ? { subject: first.subject } : {}),
    ...(Object.keys(set).length ? { set } : {}),
    ...(made.length ? { created: made } : {}),
    ...(notes.length ? { notes: [...new Set(notes.map((n) => n.code))] } : {}),
  }
}
