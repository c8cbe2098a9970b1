import type { Transporter } from 'nodemailer'
import type { Pool } from 'pg'
import { domainOf } from '@/core/recipients/address'
import { claimAccountMail, type DueAccountMail, finishAccountMail } from '@/store/access/account-links'
import { signingSecret } from '@/store/access/secrets'
import { readSettings } from '@/store/settings'
import { retryDelay, verdict } from '../delivery/policy'
import { accountKey, accountPath } from './link'
import { ACCOUNT_HEADER, accountMail } from './mail'

const AT_ONCE = 10

/** Sends the invitations and mails for new passwords that are due; how many there were. What is in them is kept nowhere. */
export async function giveAccountMail(pool: Pool, transport: Transporter, baseUrl: string): Promise<number> {
  const due = await claimAccountMail(pool, AT_ONCE)
  for (const mail of due) await give(pool, transport, baseUrl, mail)
  return due.length
}

async function give(pool: Pool, transport: Transporter, baseUrl: string, due: DueAccountMail): Promise<void> {
  const settings = await readSettings(pool)
  const url = baseUrl + accountPath(accountKey(due.id, await signingSecret(pool, 'account')))
  const { name, address } = settings.sender
  try {
    const { response } = (await transport.sendMail({
      from: { name, address },
      to: { name: due.name, address: due.email },
      ...accountMail(due, url, settings),
      messageId: `<account.${due.id}.${new Date(due.created_at).getTime()}@${domainOf(address)}>`,
      headers: { 'Auto-Submitted': 'auto-generated', [ACCOUNT_HEADER]: due.purpose },
      textEncoding: 'quoted-printable',
    })) as { response: string }
    await finishAccountMail(pool, due.id, response, 'sent')
  } catch (error) {
    const { responseCode, command, message } = error as Error & { responseCode?: number; command?: string }
    const isForGood = command === 'RCPT TO' && verdict(responseCode) === 'refused'
    await finishAccountMail(pool, due.id, message, isForGood ? null : retryDelay(due.attempt, Math.random()) / 1_000)
  }
}
