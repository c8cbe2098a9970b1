import { randomBytes } from 'node:crypto'
import { many, maybeOne, type Queryable, touch } from '../database'
import { isSealed, seal, unseal } from './sealed'

/** Two secrets that links are signed with: those of "why you got this", and those of invitations and new passwords. */
export type SigningSecret = 'why' | 'account'

const keyOf = (secret: SigningSecret) => `${secret}-secret`
const newSecret = () => randomBytes(32).toString('base64url')

/** A secret that links are signed with; made when first asked for, and kept sealed. @throws Error where it was sealed with another key */
export async function signingSecret(db: Queryable, which: SigningSecret): Promise<string> {
  const read = () => maybeOne<{ value: string }>(db, 'select value from rappel.setting where key = $1', [keyOf(which)])
  let row = await read()
  if (!row) {
    await touch(db, 'insert into rappel.setting (key, value) values ($1, $2) on conflict do nothing', [keyOf(which), JSON.stringify(seal(newSecret()))])
    row = await read()
  }
  const secret = row && unseal(row.value)
  if (!secret) throw new Error('The secret that links are signed with was sealed with another key than the one in the home. Start Rappel again: it makes a new one, and says so.')
  return secret
}

/** Replaces a secret that links are signed with: every link made before leads nowhere. Workers take the new one up. */
export async function rotateSecret(db: Queryable, which: SigningSecret): Promise<void> {
  await touch(db, 'insert into rappel.setting (key, value) values ($1, $2) on conflict (key) do update set value = excluded.value', [
    keyOf(which),
    JSON.stringify(seal(newSecret())),
  ])
  await db.query('select rappel.next_generation()')
}

/** When each secret was made or replaced last, by the audit log; null where it was not made yet. */
export async function readSecretAges(db: Queryable): Promise<Record<SigningSecret, Date | null>> {
  const rows = await many<{ subject: string; at: Date }>(
    db,
    `select subject, max(at) as at from rappel.audit where what = 'settings changed' and subject = any($1) group by subject`,
    [[keyOf('why'), keyOf('account')]],
  )
  const at = (which: SigningSecret) => rows.find((r) => r.subject === keyOf(which))?.at ?? null
  return { why: at('why'), account: at('account') }
}

/**
 * Seals what is kept plainly, and replaces what the key of the home does not open, as after a move without it. Answers, in sentences, what was lost.
 * Done once at every start.
 */
export async function sealSecrets(db: Queryable): Promise<string[]> {
  const lost: string[] = []
  for (const which of ['why', 'account'] as const) {
    const row = await maybeOne<{ value: string }>(db, 'select value from rappel.setting where key = $1', [keyOf(which)])
    if (!row || (isSealed(row.value) && unseal(row.value))) continue
    const isLost = isSealed(row.value)
    if (isLost)
      lost.push(
        `The secret that ${which === 'why' ? '“why you got this” links' : 'invitations'} are signed with cannot be opened with this key; a new one was made, and links sent before lead nowhere.`,
      )
    await touch(db, 'update rappel.setting set value = $2 where key = $1', [keyOf(which), JSON.stringify(seal(isLost ? newSecret() : row.value))])
  }
  const channels = await many<{ name: string; secret: string }>(db, 'select name, secret from rappel.channel')
  for (const { name, secret } of channels) {
    if (!isSealed(secret)) await touch(db, 'update rappel.channel set secret = $2 where name = $1', [name, seal(secret)])
    else if (unseal(secret) === null) lost.push(`The secret of the channel ${name} cannot be opened with this key. Give it again in Settings; until then its notices wait.`)
  }
  return lost
}
