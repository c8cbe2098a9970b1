import { maybeOne, type Queryable, touch } from './database'

/** Keeps how the mail server answered last; the moment is that of the last turn between well and not. */
export async function noteMailState(db: Queryable, ok: boolean, reply: string, at: Date): Promise<void> {
  await touch(
    db,
    'update rappel.mail_state set since = case when ok is distinct from $1 then $3 else since end, ok = $1, reply = $2 where ok is distinct from $1 or reply is distinct from $2',
    [ok, reply, at],
  )
}

/** Keeps how many bytes of a message the mail server says that it takes; workers go by it from then on. */
export async function noteMailSize(db: Queryable, size: number | null): Promise<void> {
  if ((await touch(db, 'update rappel.mail_state set most_bytes = $1 where most_bytes is distinct from $1', [size])) > 0) await db.query('select rappel.next_generation()')
}

export interface MailState {
  readonly ok: boolean | null
  readonly since: Date | null
  readonly reply: string | null
  /** The most bytes of a message that it says it takes; null where it does not say. */
  readonly mostBytes: number | null
}

/** How the mail server answered last. */
export async function readMailState(db: Queryable): Promise<MailState> {
  return (await maybeOne<MailState>(db, 'select ok, since, reply, most_bytes as "mostBytes" from rappel.mail_state')) ?? { ok: null, since: null, reply: null, mostBytes: null }
}
