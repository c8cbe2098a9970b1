import { codeOf } from '@/core/must'
/** Something that was asked of the store and cannot be done, with a sentence for whoever asked. */
export class Refused extends Error {
  override readonly name = 'Refused'

  constructor(
    readonly code: 'not found' | 'conflict' | 'invalid' | 'stale',
    message: string,
    /** JSON Pointers and sentences, where single values are at fault. */
    readonly problems: readonly { code: string; path: string; message: string }[] = [],
    /** What else whoever asked can go on from. */
    readonly more: Readonly<Record<string, unknown>> = {},
  ) {
    super(message)
  }
}

/** Whether an error is Refused, also one from another bundle's copy of this module. */
export const isRefused = (error: unknown): error is Refused => error instanceof Error && error.name === 'Refused'

interface DatabaseError {
  message?: string
  code?: string
  detail?: string
  column?: string
  constraint?: string
  table?: string
}

const SENTENCES: Record<string, (e: DatabaseError) => Refused> = {
  '23503': (e) =>
    e.detail?.includes('still referenced')
      ? new Refused('conflict', `Other records still point at this one (${e.table ?? 'another table'}). Delete or change those first.`)
      : new Refused('invalid', `A link points at a record that does not exist. ${e.detail ?? ''}`.trim(), [
          { code: 'no such record', path: linkPath(e.detail), message: 'No record has this id.' },
        ]),
  '23505': (e) => new Refused('conflict', `Another record has the same value already. ${e.detail ?? ''}`.trim()),
  '23502': (e) => new Refused('invalid', `${e.column ?? 'A field'} must be filled.`, [{ code: 'required', path: `/${e.column ?? ''}`, message: 'It must be filled.' }]),
  '23514': (e) => new Refused('invalid', `A value breaks the rule ${e.constraint ?? ''} of its table.`),
  RP001: (e) => new Refused('conflict', e.message ?? 'This is the last administrator.'),
  '42501': (e) =>
    new Refused(
      'conflict',
      `The database does not let Rappel do this (${e.message ?? 'permission denied'}). The table’s owner grants it: grant insert, update, delete on … to Rappel’s role.`,
    ),
  '54000': () =>
    new Refused(
      'invalid',
      'Together the values are more than a row of the database can hold (8 kB of short ones; long texts are kept elsewhere). Leave some blank, or put some fields into another table.',
    ),
  '54011': () =>
    new Refused(
      'conflict',
      'The table, or the log of its changes, has as many columns as the database allows (1,600): a log has two for each field that the table has or had, and for each type a field had. Put new fields into another table that links to it.',
    ),
  '22001': (e) =>
    new Refused(
      'invalid',
      `A text is too long for where it is kept${/\((\d+)\)/.test(e.message ?? '') ? `, which takes ${/\((\d+)\)/.exec(e.message ?? '')?.[1]} characters` : ''}. Make it shorter.`,
    ),
  '22003': () => new Refused('invalid', 'A number is too large to be kept.'),
}

function linkPath(detail: string | undefined): string {
  return `/${/\(([a-z0-9_]+)\)=/.exec(detail ?? '')?.[1] ?? ''}`
}

/** SQLSTATE classes 08 (connection), 57P (operator intervention) and 53 (resources), and the socket errors of a server that is not there. */
export function isDatabaseAway(error: unknown): boolean {
  const code = codeOf(error)
  const message = error instanceof Error ? error.message : undefined
  if (typeof code === 'string' && /^(08|57P|53|ECONN|EPIPE|ETIMEDOUT|ENOTFOUND|EAI_)/.test(code)) return true
  if (error instanceof AggregateError) return error.errors.some(isDatabaseAway)
  return typeof message === 'string' && /^(Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error)/.test(message)
}

/** SQLSTATE of what may pass: serialization failure, deadlock, lock not available. */
export function mayPass(error: unknown): boolean {
  return ['40001', '40P01', '55P03'].includes(String(codeOf(error)))
}

/**
 * Whether trying again would not help: the fault is in what was asked or in the data, not in the database or its being busy. Whatever is not known
 * to pass (classes 25, transaction state; 26, statement name; 55, object state; 57, operator intervention; 58, system) counts as such.
 */
export function isFaultOfData(error: unknown): boolean {
  if (isDatabaseAway(error) || mayPass(error)) return false
  const code = codeOf(error)
  return !(typeof code === 'string' && /^(25|26|40|55|57|58)...$/.test(code))
}

/** Turns a constraint that the database upheld into a refusal in words; anything else is handed back as it was. */
export function explained(error: unknown): unknown {
  const code = codeOf(error)
  const sentence = typeof code === 'string' ? SENTENCES[code] : undefined
  return sentence ? sentence(error as DatabaseError) : error
}
