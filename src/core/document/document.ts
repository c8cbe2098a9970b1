import type { ChangeKind } from '../changes/change'
import type { RecordId, Stored } from '../values/tables'
import type { Condition, Op } from './condition'

export type Recipient =
  | { field: string }
  | { list: string; field: string }
  | { group: string }
  | { team: string }
  | { managerOf: string }
  | { changedBy: true }
  | { address: string }
  | { text: string }

export type Value = string | number | boolean | null | { field: string } | { text: string } | { formula: string } | { today: number } | { now: true }

export interface RecordCue {
  kind: 'record'
  on: ChangeKind[]
  fields?: string[]
  whose?: { team: string } | { person: string }
  /** How long the conditions must have held without a break (ISO 8601); without it the workflow fires at once. */
  stays?: string
}

/** A workflow that goes by the clock: when (POSIX cron), and what it runs once for. */
export interface TimetableCue {
  kind: 'timetable'
  cron: string
  per: 'record' | 'owner' | 'all' | 'group'
  over?: { figure: string }
  /** The order of `records`: a field's name, `-` before it for descending. */
  order?: string
  /** Whether it runs, per `all`, also where no record fits. */
  evenIfNone?: boolean
}

export const ASK_TYPES = ['text', 'long text', 'number', 'money', 'yes/no', 'choice', 'date', 'date-time', 'person', 'addresses'] as const

/** A question that is answered when a workflow is run by hand. */
export interface Ask {
  name: string
  label: string
  type: (typeof ASK_TYPES)[number]
  choices?: string[]
  required?: boolean
  default?: unknown
  hint?: string
}

/** A workflow that people run by hand: for what, with which questions, and who may. */
export interface ByHandCue {
  kind: 'by hand'
  per?: 'record' | 'all' | 'none' | 'group'
  over?: { figure: string }
  ask?: Ask[]
  who?: { roles?: ('administrator' | 'editor' | 'member')[]; teams?: string[]; groups?: string[] }
}

export interface FigureCue {
  kind: 'figure'
  figure: string
  threshold: string
}

export type Cue = RecordCue | FigureCue | TimetableCue | ByHandCue

/** A file that mail carries, or leads to by a link: one of the library, or that of a field. */
export type Attach = ({ file: string } | { field: string }) & { as?: 'link' }

export interface EmailAction {
  name: string
  muted?: boolean
  do: 'email'
  about?: string
  to: Recipient[]
  cc?: Recipient[]
  bcc?: Recipient[]
  from?: 'default' | 'owner' | { sender: string }
  replyTo?: Recipient
  template?: string
  subject?: string
  body?: string
  format?: 'rich' | 'plain'
  delivery?: 'together' | 'each'
  ifNobody?: Recipient[]
  priority?: 'low' | 'normal' | 'high'
  attach?: Attach[]
}

interface OtherActionBase {
  name: string
  muted?: boolean
}

export type OtherAction = OtherActionBase &
  (
    | { do: 'notice'; channel?: string; to?: Recipient[]; title?: string; text: string }
    | { do: 'update'; target?: string; set: Record<string, Value> }
    | { do: 'create'; table: string; set: Record<string, Value> }
    /** `owner`: a path to a person, or the e-mail of one. */
    | { do: 'task'; subject: string; owner?: string; due?: Value; about?: string; note?: string }
    | { do: 'choose'; branches: { when: Condition; actions: Action[] }[]; otherwise?: Action[] }
    | { do: 'each'; of: string; as: string; where?: Condition; actions: Action[] }
  )

export type Action = EmailAction | OtherAction

export interface BringIn {
  name: string
  link?: string
  list?: string
  of?: string
  where?: Condition
  order?: string
  limit?: number
  muted?: boolean
}

export interface Limits {
  spacing?: { per: 'record' | 'recipient' | 'group' | 'workflow'; every: string }
  quietHours?: { from: string; to: string; days?: number[] } | 'organisation'
  digest?: ({ every: string } | { at: string[] | 'organisation' }) & { columns?: string[] }
  perDay?: number
  /** Whether recipients who sign in may have it gathered for themselves. */
  mayGather?: boolean
  /** Whether recipients outside may say stop (RFC 8058). */
  mayStop?: boolean
}

/** A change as an example has it; images by field names, a link or person as the id, `by` as an e-mail, `at` in ISO 8601. */
export interface ExampleChange {
  kind: 'created' | 'changed' | 'deleted'
  before?: Record<string, unknown> | null
  after?: Record<string, unknown> | null
  by?: string
  at?: string
}

/** What must come of an example. What is not said may be anything. */
export interface Expectation {
  fires: boolean
  /** Whoever gets mail in To, and of the others in Cc and Bcc those named. */
  to?: string[]
  /** Words that a subject contains. */
  subject?: string
  /** Words, each of which a body contains. */
  bodyHas?: string[]
  /** Fields that are set, of whatever record, and to what. */
  set?: Record<string, unknown>
  /** Tables of which a record is created, once for each; `tasks` for tasks. */
  created?: string[]
  /** Codes or words of notes in the trace. */
  notes?: string[]
}

/** What an example saw when it was kept that the change log cannot tell afterwards. */
export interface Saw {
  groups?: Record<string, { people?: string[]; addresses?: string[] }>
  suppressed?: string[]
}

/** An occasion other than a change as an example has it: a tick, a press with its answers, or a crossing. */
export interface ExampleOccasion {
  kind: 'tick' | 'press' | 'crossing'
  /** The tick's moment (ISO 8601); without it the example's own. */
  at?: string
  record?: RecordId
  /** The e-mail of the owner that a tick is for. */
  owner?: string
  /** The records that a press is for, and the answers by the questions' names. */
  records?: RecordId[]
  asked?: Record<string, unknown>
  /** The group of a figure that a tick or crossing is of, or those that a press is for; without it the one group that there is. */
  group?: Stored
  groups?: Stored[]
  /** What a crossing took the figure to, and from what; without `before` from blank. */
  value?: number
  before?: number | null
  by?: string
}

/** A kept dry run with what must come of it: of a change, or of another occasion. */
export interface Example {
  name: string
  change?: ExampleChange
  occasion?: ExampleOccasion
  /** The moment whose data it sees and whose clock it goes by (ISO 8601); without it, now. */
  asOf?: string
  saw?: Saw
  expect: Expectation
}

/** A workflow as it is written, saved and exchanged: `workflow/1`. */
export interface Workflow {
  rappel: 'workflow/1'
  name: string
  note?: string
  table: string
  cue: Cue
  conditions?: Condition
  firing?: 'entering' | 'every'
  bringIn?: BringIn[]
  values?: { name: string; formula?: string; text?: string }[]
  actions: Action[]
  refire?: boolean
  examples?: Example[]
  limits?: Limits
}

export type { Condition, Op }
