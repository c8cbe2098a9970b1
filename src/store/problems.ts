/** Something that was asked of the store and cannot be done, with a sentence for whoever asked. */
export class Refused extends Error {
  override readonly name = 'Refused'

  constructor(
    readonly code: 'not found' | 'conflict' | 'invalid' | 'stale',
    message: string,
    /** JSON Pointers and sentences, where single values are at fault. */
    readonly problems: readonly { code: string; path: string; message: string }[] = [],
  ) {
    super(message)
  }
}

interface DatabaseError {
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
  '22003': () => new Refused('invalid', 'A number is too large to be kept.'),
}

function linkPath(detail: string | undefined): string {
  return `/${/\(([a-z0-9_]+)\)=/.exec(detail ?? '')?.[1] ?? ''}`
}

/** Turns a constraint that the database upheld into a refusal in words; anything else is handed back as it was. */
export function explained(error: unknown): unknown {
  const code = (error as DatabaseError | null)?.code
  const sentence = typeof code === 'string' ? SENTENCES[code] : undefined
  return sentence ? sentence(error as DatabaseError) : error
}
