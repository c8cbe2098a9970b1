import { passwordFault } from '@/core/access/password'
import { readSettings } from '@/store/settings'
import { pool } from './environment'
import { Problem } from './problem'

/** Refuses a password that is short or easily guessed. @throws Problem 422 saying how to choose another */
export async function requireGoodPassword(password: unknown, person: { readonly name: string; readonly email: string }, organisation?: string): Promise<string> {
  const say = (message: string) => new Problem(422, 'Not valid', message, { problems: [{ code: 'not valid', path: '/password', message }] })
  if (typeof password !== 'string') throw say('Choose a password.')
  const fault = passwordFault(password, [person.name, person.email, organisation ?? (await readSettings(pool())).name])
  if (fault) throw say(fault)
  return password
}
