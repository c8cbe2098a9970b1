import { formatInstant } from '@/core/values/format'
import type { DueAccountMail } from '@/store/access/account-links'
import type { Settings } from '@/store/settings'

/** The header by which whoever shows mail in the application tells that it is for its addressee's eyes alone. */
export const ACCOUNT_HEADER = 'x-rappel-account'

/** The parts of a mail about an account. */
interface AccountMail {
  readonly subject: string
  readonly text: string
  readonly html: string
}

const page = (settings: Settings, paragraphs: string) =>
  `<!doctype html><html lang="${escaped(settings.locale)}"><body style="font:16px/1.5 Georgia,serif;color:#16211F">${paragraphs}</body></html>`

/** Word that a password was changed. */
function changedMail(due: DueAccountMail, settings: Settings): AccountMail {
  const told = `Your password for Rappel at ${settings.name} was changed (${formatInstant(due.created_at, settings)}).`
  const otherwise = 'If that was not you, choose a new one by “Forgot your password?” on the sign-in page, and tell an administrator.'
  return {
    subject: `Your password for Rappel at ${settings.name} was changed`,
    text: `${told}\n\n${otherwise}\n`,
    html: page(settings, `<p>${escaped(told)}</p><p>${escaped(otherwise)}</p>`),
  }
}

const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

/** What an invitation, or the mail for a new password, says: the link, how long it counts, and that nothing need be done by whoever did not expect it. */
export function accountMail(due: DueAccountMail, url: string, settings: Settings): AccountMail {
  if (due.purpose === 'changed') return changedMail(due, settings)
  const until = formatInstant(due.expires_at, settings)
  const isInvitation = due.purpose === 'invitation'
  const why = isInvitation
    ? `${due.by ?? 'An administrator'} invites you to Rappel at ${settings.name}, where records are watched and alerts are sent. Choose a password to come in.`
    : `Somebody, probably you, asked for a new password for Rappel at ${settings.name}.`
  const act = isInvitation ? 'Choose your password' : 'Choose a new password'
  const end = `The link counts once, until ${until}.${isInvitation ? '' : ' If you did not ask for it, leave it: your password stays as it is.'}`
  return {
    subject: isInvitation ? `Your invitation to Rappel at ${settings.name}` : `A new password for Rappel at ${settings.name}`,
    text: `${why}\n\n${act}:\n${url}\n\n${end}\n`,
    html: page(settings, `<p>${escaped(why)}</p><p><a href="${escaped(url)}">${act}</a></p><p style="color:#5B6764">${escaped(end)}</p>`),
  }
}
