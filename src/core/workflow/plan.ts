import type { ClauseResult } from '../conditions/compile'
import type { NotWaited } from '../cues/record'
import type { RenderedMessage } from '../message/render'
import type { Note } from '../recipients/recipients'
import type { Image, RecordId, Stored } from '../values/tables'

export interface Mailbox {
  readonly address: string
  readonly name: string | null
}

/** Somebody a message goes to, and the entry of the action that named them (JSON Pointer). */
export interface PlannedRecipient extends Mailbox {
  readonly path?: string
}

/** A file that goes with an email; one with a `cid` is shown inside its text (RFC 2392). */
export interface Attachment {
  readonly file: number
  readonly name: string
  readonly type: string
  readonly cid?: string
}

/** A file that a message carries, or, where its size is said, leads to by a link. */
export type Enclosed = Attachment & { readonly linked?: number }

/** Why something is held, and until when; what a cap holds has no end of its own. */
export interface Held {
  readonly reason: 'quiet' | 'digest' | 'cap'
  readonly until: Date | null
}

/** One email as it will be queued. */
export interface PlannedMessage extends RenderedMessage {
  readonly action: string
  readonly path: string
  /** The record it is about, under which it is found and threaded; null where it is about none. */
  readonly about: { readonly table: string; readonly id: RecordId } | null
  readonly from: Mailbox
  readonly replyTo: Mailbox | null
  readonly to: readonly PlannedRecipient[]
  readonly cc: readonly PlannedRecipient[]
  readonly bcc: readonly PlannedRecipient[]
  readonly priority: 'low' | 'normal' | 'high'
  readonly attachments: readonly Attachment[]
  /** The files that its text leads to by links. */
  readonly linked?: readonly number[]
  /** What holds it back, and until when, where something does. */
  readonly held?: Held
}

/** All recipients of a message. */
export const everybody = <One>({ to, cc, bcc }: { readonly to: readonly One[]; readonly cc: readonly One[]; readonly bcc: readonly One[] }): One[] => [...to, ...cc, ...bcc]

/** Fields of a record that a run sets. */
export interface PlannedUpdate {
  readonly path: string
  readonly table: string
  readonly id: RecordId
  readonly set: Readonly<Record<string, Stored>>
  /** What those fields held before. */
  readonly was: Readonly<Record<string, Stored>>
}

/** A record that a run creates, whole, under an id of its own. */
export interface PlannedCreate {
  readonly path: string
  readonly table: string
  readonly image: Image
  /** What the action says, defaults and automatic numbers left out. */
  readonly set: Readonly<Record<string, Stored>>
}

export interface PlannedNotice {
  readonly path: string
  readonly channel: string | null
  /** People it is shown to in the application, by id. */
  readonly people: readonly number[]
  readonly to: readonly string[]
  readonly title: string
  readonly text: string
  readonly held?: Held
}

export interface PlannedTask {
  readonly path: string
  readonly subject: string
  /** The owner's e-mail. */
  readonly owner: string | null
  readonly due: string | null
  readonly note: string | null
}

/** What a run writes, in order. */
export type Write = ({ readonly do: 'update' } & PlannedUpdate) | ({ readonly do: 'create' } & PlannedCreate)

/** What a name holds in a run: a thing brought in or a value, for whoever looks at the plan. */
export interface HeldName {
  readonly path: string
  readonly name: string
  readonly kind: 'record' | 'list' | 'value'
  /** Titles of the records, or the value as text; the first few only. */
  readonly shown: readonly string[]
  readonly count: number
}

/** A cell of a digest's row. */
export interface Column {
  readonly label: string
  readonly value: string
}

/** What comes of an occasion in a workflow: whether it fires and why, and all it would do. */
export interface Plan {
  readonly fires: boolean
  readonly decision: Decision
  /** The decision in a sentence. */
  readonly why: string
  readonly clauses: readonly ClauseResult[]
  readonly messages: readonly PlannedMessage[]
  readonly updates: readonly PlannedUpdate[]
  readonly creates: readonly PlannedCreate[]
  readonly notices: readonly PlannedNotice[]
  readonly tasks: readonly PlannedTask[]
  readonly writes: readonly Write[]
  readonly notes: readonly Note[]
  /** What was brought in and worked out, in order. */
  readonly held: readonly HeldName[]
  /** What a digest says of it beside its title, where the workflow's limits ask for certain columns. */
  readonly columns?: readonly Column[]
  /** The name of the owner that it is for, where it is for one's records. */
  readonly whose?: string
}

/**
 * What was decided about an occasion: the cue does not wait for it (five ways), it is of somebody whose records do not count, it was not looked at; or what the
 * conditions said.
 */
export type Decision =
  | NotWaited
  | 'another occasion'
  | 'of somebody else'
  | 'not looked at'
  | 'unconditional'
  | 'holds'
  | 'enters'
  | 'fails'
  | 'held before'
  | 'stayed'
  | 'broken'
  | 'still waits'
  | 'fits'
  | 'fitted before'
  | 'none fits'
  | 'pressed'
  | 'crossed'

const FIRING: ReadonlySet<Decision> = new Set(['unconditional', 'holds', 'enters', 'stayed', 'fits', 'pressed', 'crossed'])

/** Whether a decision fires. */
export const fires = (decision: Decision): boolean => FIRING.has(decision)

/** A plan that does nothing, and why. */
export function nothing(decision: Decision, why: string, clauses: readonly ClauseResult[] = []): Plan {
  return { fires: false, decision, why, clauses, messages: [], updates: [], creates: [], notices: [], tasks: [], writes: [], notes: [], held: [] }
}
