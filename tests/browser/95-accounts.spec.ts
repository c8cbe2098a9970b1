import { type Browser, expect, type Page, test } from '@playwright/test'
import { api, BASE, linkIn, PORT, POST_ROOM, SPARE_PORTS } from './installation'
import { MAREN, RAFI, sessionOf, signIn, TOVE } from './people'
import { TestProvider } from './provider'

/** Everybody can come in who may, and nobody else: invitations, new passwords, sessions, another system, and the log of it. */

const PASSWORD = 'two blue kettles'
const at = (name: string) => `${name}@ternsay-ferries.example`

const make = (email: string, input: object) => api('PUT', `/api/v1/people/${email}`, { active: true, ...input })

/** The link in the newest mail to an address, once it has come. */
async function linkTo(email: string, subject: RegExp): Promise<string> {
  let link = ''
  await expect
    .poll(
      async () => {
        const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(email)}`)).json()) as { messages: { subject: string; raw: string }[] }
        const newest = messages.filter((m) => subject.test(m.subject)).at(-1)
        link = linkIn(newest?.raw ?? '', 'sign-in') ?? ''
        return link
      },
      { timeout: 60_000 },
    )
    .not.toBe('')
  return link
}

async function stranger(browser: Browser): Promise<Page> {
  return (await browser.newContext({ baseURL: BASE })).newPage()
}

async function fillSignIn(page: Page, email: string, password: string): Promise<void> {
  await page.goto('/sign-in')
  await page.getByLabel('E-mail').fill(email)
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
}

const places = (page: Page) => page.getByRole('navigation', { name: 'Places' })

test('somebody is invited by mail, chooses a password by the link, and the link counts no more', async ({ page, browser }) => {
  const email = at('pat.quay')
  await signIn(page)
  await page.goto('/people')
  await page.getByRole('button', { name: 'Add somebody' }).click()
  await page.getByLabel('First name').fill('Pat')
  await page.getByLabel('Last name').fill('Quay')
  await page.getByLabel('E-mail', { exact: true }).fill(email)
  await page.getByLabel('May').click()
  await page.getByRole('option', { name: /build workflows/ }).click()
  await page.getByRole('button', { name: 'Save and invite' }).click()
  await expect(page.getByText('An invitation is on its way')).toBeVisible()
  const link = await linkTo(email, /^Your invitation/)
  const pat = await stranger(browser)
  await pat.goto(link)
  await expect(pat.getByText(/Welcome, Pat Quay/)).toBeVisible()
  await pat.getByLabel('New password').fill('pat.quay.ternsay')
  await pat.getByRole('button', { name: 'Keep it and come in' }).click()
  await expect(pat.getByText(/a name or an address that anybody would try first/)).toBeVisible()
  await pat.getByLabel('New password').fill(PASSWORD)
  await pat.getByRole('button', { name: 'Keep it and come in' }).click()
  await expect(places(pat)).toBeVisible()
  const again = await stranger(browser)
  await again.goto(link)
  await expect(again.getByText('This link counts no more')).toBeVisible()
  const refused = await again.request.post('/api/session/link', {
    data: { key: decodeURIComponent(link.split('/').pop() as string), password: PASSWORD },
    headers: { origin: BASE },
  })
  expect(refused.status()).toBe(410)
  await page.reload()
  await page.getByRole('button', { name: /Pat Quay/ }).click()
  await expect(page.getByText('Signs in by a password.')).toBeVisible()
})

test('a link is signed: another id, another signature and another purpose lead nowhere', async ({ page }) => {
  for (const key of ['MQ.AAAA', 'MQ', 'x', `${Buffer.from('1').toString('base64url')}.${'A'.repeat(43)}`]) {
    await page.goto(`/sign-in/${key}`)
    await expect(page.getByText('This link counts no more')).toBeVisible()
  }
})

test('a forgotten password is replaced by mail; nobody learns who is here; every other session ends', async ({ page, browser, playwright }) => {
  const email = at('rina.holm')
  await make(email, { name: 'Rina Holm', role: 'member' })
  await api('POST', `/api/v1/people/${email}/invitation`)
  await page.goto(await linkTo(email, /^Your invitation/))
  await page.getByLabel('New password').fill(PASSWORD)
  await page.getByRole('button', { name: 'Keep it and come in' }).click()
  await expect(places(page)).toBeVisible()

  const other = await stranger(browser)
  await other.goto('/sign-in')
  await other.getByRole('link', { name: 'Forgot your password?' }).click()
  await other.getByLabel('Your e-mail').fill(` ${email.toUpperCase()}`)
  await other.getByRole('button', { name: 'Send the link' }).click()
  await expect(other.getByRole('status')).toContainText('is on its way')

  const first = await linkTo(email, /^A new password/)
  const nobody = await playwright.request.newContext({ baseURL: BASE, extraHTTPHeaders: { origin: BASE } })
  const answers = await Promise.all([email, 'nobody@nowhere.example'].map(async (e) => (await nobody.post('/api/session/reset', { data: { email: e } })).text()))
  expect(answers[0]).toBe(answers[1])
  await expect.poll(() => linkTo(email, /^A new password/)).not.toBe(first)
  await other.goto(first)
  await expect(other.getByText('a newer one was sent')).toBeVisible()
  await other.goto(await linkTo(email, /^A new password/))
  await expect(other.getByText(/Good to see you, Rina Holm/)).toBeVisible()
  await other.getByLabel('New password').fill('four calm harbour pilots')
  await other.getByRole('button', { name: 'Keep it and come in' }).click()
  await expect(places(other)).toBeVisible()
  await page.goto('/')
  await expect(page).toHaveURL(/sign-in/)
  await fillSignIn(page, email, PASSWORD)
  await expect(page.getByText('The e-mail or the password is not right.')).toBeVisible()
  await fillSignIn(page, email, 'four calm harbour pilots')
  await expect(places(page)).toBeVisible()
})

test('one sees where one is signed in, ends the others, and changes one’s password', async ({ page, browser, playwright }) => {
  const email = at('rina.holm')
  await fillSignIn(page, email, 'four calm harbour pilots')
  await expect(places(page)).toBeVisible()
  const other = await stranger(browser)
  await fillSignIn(other, email, 'four calm harbour pilots')
  await expect(places(other)).toBeVisible()
  await page.getByRole('button', { name: 'Rina Holm' }).click()
  await page.getByRole('menuitem', { name: 'Your account' }).click()
  await expect(page.getByText('this one')).toBeVisible()
  await expect(page.getByText(/Chrome on/).first()).toBeVisible()
  await page.getByRole('button', { name: 'End the others' }).click()
  await expect(page.getByText('You are signed in only here now.')).toBeVisible()
  await expect(page.getByRole('button', { name: 'End it' })).toHaveCount(0)
  await other.goto('/')
  await expect(other).toHaveURL(/sign-in/)
  await page.getByLabel('The one you have now').fill('wrong')
  await page.getByLabel('New password').fill('seven lamps over water')
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText('That is not the password you have now.')).toBeVisible()
  await page.getByLabel('The one you have now').fill('four calm harbour pilots')
  await page.getByRole('button', { name: 'Change it' }).click()
  await expect(page.getByText('Your password is changed.')).toBeVisible()
  await expect.poll(async () => JSON.stringify(await (await fetch(`${POST_ROOM}/messages?to=${encodeURIComponent(email)}`)).json())).toContain('was changed')
  // somebody else's session is not one's own to end
  const rafi = await sessionOf(playwright, RAFI)
  const { sessions } = (await (await rafi.get('/api/v1/account')).json()) as { sessions: { id: number }[] }
  expect((await page.request.delete(`/api/v1/account/sessions/${sessions[0]?.id}`, { headers: { origin: BASE } })).status()).toBe(404)
})

test('what is delicate asks for the password once more, over the page, and goes on', async ({ page }) => {
  await signIn(page)
  await api('PUT', `/api/v1/people/${at('sol.tern')}`, { name: 'Sol Tern', first_name: 'Sol', last_name: 'Tern', active: true })
  await page.goto('/people')
  await forget('proved_at')
  await page.getByRole('button', { name: /Sol Tern/ }).click()
  await page.getByLabel('May').click()
  await page.getByRole('option', { name: /do everything/ }).click()
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByText('Your password, once more')).toBeVisible()
  await dialog.getByLabel('Password').fill('wrong')
  await dialog.getByRole('button', { name: 'Go on' }).click()
  await expect(dialog.getByText('That is not your password.')).toBeVisible()
  await dialog.getByLabel('Password').fill('ternsay')
  await page.keyboard.press('Enter')
  await expect(page.getByText('Saved.')).toBeVisible()
  const { people } = (await api('GET', '/api/v1/people')).body as unknown as { people: { email: string; role: string | null }[] }
  expect(people.find((p) => p.email === at('sol.tern'))?.role).toBe('administrator')
  await api('PUT', `/api/v1/people/${at('sol.tern')}`, { role: null, active: false })
})

test('left alone, nothing delicate is done: a role, a token, how people sign in, a secret', async ({ playwright }) => {
  const maren = await sessionOf(playwright, MAREN)
  await forget('proved_at')
  const asked = [
    await maren.put(`/api/v1/people/${at('sol.tern')}`, { data: { role: 'administrator' } }),
    await maren.post('/api/v1/tokens', { data: { name: 'x', role: 'administrator' } }),
    await maren.delete('/api/v1/tokens/1'),
    await maren.put('/api/v1/settings/openid', { data: {} }),
    await maren.delete('/api/v1/settings/openid'),
    await maren.post('/api/v1/settings/secrets/why'),
  ]
  for (const answer of asked) expect([answer.url(), answer.status(), ((await answer.json()) as { title: string }).title]).toEqual([answer.url(), 403, 'Password again'])
  expect((await maren.put(`/api/v1/people/${at('sol.tern')}`, { data: { phone: '1' } })).status()).toBe(200)
})

test('a session that has ended asks for the password over the page, and what was typed goes on', async ({ page }) => {
  await signIn(page)
  await page.goto('/people')
  await page.getByRole('button', { name: /Sol Tern/ }).click()
  await page.getByLabel('Phone').fill('+44 1632 960 111')
  await forget('last_seen_at')
  await page.getByRole('button', { name: /Make active again|Save/ }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByText('Your session has ended')).toBeVisible()
  await dialog.getByLabel('Password').fill('ternsay')
  await dialog.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByText('Saved.')).toBeVisible()
  await expect(page).toHaveURL(/\/people/)
  const { people } = (await api('GET', '/api/v1/people')).body as unknown as { people: { email: string; phone: string }[] }
  expect(people.find((p) => p.email === at('sol.tern'))?.phone).toBe('+44 1632 960 111')
  await api('PUT', `/api/v1/people/${at('sol.tern')}`, { active: false })
})

test.describe('by another system', () => {
  const provider = new TestProvider(SPARE_PORTS[3] as number, `${BASE}/api/session/openid/back`)
  test.beforeAll(() => provider.start())
  test.afterAll(async () => {
    await api('DELETE', '/api/v1/settings/openid')
    await provider.stop()
  })

  /** Signs in at the provider under an account's name. */
  async function goThrough(page: Page, account: string): Promise<void> {
    await page.goto('/sign-in')
    await page.getByRole('link', { name: 'Come in by the harbour office' }).click()
    await vouch(page, account)
  }

  async function vouch(page: Page, account: string): Promise<void> {
    await page.locator('input[name=login]').fill(account)
    await page.locator('input[name=password]').fill('any')
    await page.getByRole('button', { name: /sign-in/i }).click()
    await page.getByRole('button', { name: /continue/i }).click()
  }

  test('it is set once it has answered, and lets in whom it vouches for and who is here', async ({ page, browser }) => {
    await signIn(page)
    await page.goto('/settings')
    await page.getByRole('button', { name: 'Add sign-in by OpenID Connect' }).click()
    await page.getByLabel('Issuer').fill(`http://127.0.0.1:${SPARE_PORTS[0]}`)
    await page.getByLabel('Client id').fill('rappel')
    await page.getByLabel('Client secret').fill(provider.clientSecret)
    await page.getByLabel('Domains of addresses').fill('ternsay-ferries.example')
    await page.getByLabel('On the sign-in page it says').fill('Come in by the harbour office')
    await page.getByRole('button', { name: 'Ask it and save' }).click()
    await expect(page.getByText(/does not describe itself as a provider/)).toBeVisible()
    await page.getByLabel('Issuer').fill(provider.issuer)
    await page.getByRole('button', { name: 'Ask it and save' }).click()
    await expect(page.getByText('The other system answered.')).toBeVisible()
    expect(JSON.stringify((await api('GET', '/api/v1/settings/openid')).body)).not.toContain(provider.clientSecret)

    provider.accounts.set('tove', { email: TOVE, email_verified: true })
    const tove = await stranger(browser)
    await goThrough(tove, 'tove')
    await expect(places(tove)).toBeVisible()
    await tove.goto('/account')
    await expect(tove.getByText(/signed in by the other system/).first()).toBeVisible()
  })

  const refusals: [string, object, RegExp][] = [
    ['an address that it does not vouch for', { email: TOVE, email_verified: false }, /does not vouch for your e-mail address/],
    ['no address', {}, /does not vouch for your e-mail address/],
    ['an address of another domain', { email: 'tove@evil.example', email_verified: true }, /Addresses of your domain are not taken/],
    ['a domain that only ends alike', { email: 'tove@not-ternsay-ferries.example', email_verified: true }, /Addresses of your domain are not taken/],
    ['somebody who is not here', { email: at('never.heard'), email_verified: true }, /Nobody here has your address/],
    ['somebody who may not sign in', { email: at('sol.tern'), email_verified: true }, /Nobody here has your address/],
  ]
  for (const [name, account, says] of refusals)
    test(`${name} is not let in`, async ({ browser }) => {
      provider.accounts.set('somebody', account)
      const page = await stranger(browser)
      await goThrough(page, 'somebody')
      await expect(page.getByText(says)).toBeVisible()
      await page.goto('/')
      await expect(page).toHaveURL(/sign-in/)
    })

  test('an answer that was not asked for, or comes to another browser, lets nobody in', async ({ page, browser }) => {
    provider.accounts.set('tove', { email: TOVE, email_verified: true })
    await page.goto('/api/session/openid/back?code=made-up&state=made-up')
    await expect(page.getByText('Signing in that way was not finished.')).toBeVisible()
    let back = ''
    const thief = await stranger(browser)
    thief.on('request', (request) => {
      if (request.url().includes('/openid/back')) back = request.url()
    })
    await thief.goto('/sign-in')
    await thief.getByRole('link', { name: 'Come in by the harbour office' }).click()
    await thief.context().clearCookies({ name: `rappel_${PORT}_openid` }) // so that the code is not used up
    await vouch(thief, 'tove')
    await expect(thief.getByText('Signing in that way was not finished.')).toBeVisible()
    expect(back).toContain('code=')
    await page.goto('/sign-in')
    await page.getByRole('link', { name: 'Come in by the harbour office' }).click()
    await expect(page.locator('input[name=login]')).toBeVisible() // this browser is under way too, with a state of its own
    await page.goto(back) // the code of one browser in another, as whoever would have somebody signed in as themselves
    await expect(page.getByText('Signing in that way was not finished.')).toBeVisible()
  })
})

test('the audit log says who did what, is searched, and comes as lines of JSON', async ({ page }) => {
  await signIn(page)
  await page.goto('/settings')
  await page.getByRole('link', { name: 'Audit log' }).click()
  const log = page.getByRole('list', { name: 'Audit log' })
  await page.getByLabel('Search the audit log').fill(at('pat.quay'))
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/text=pat/)
  for (const what of ['person made', 'invited', 'invitation taken up', 'signed in']) await expect(log.getByText(what, { exact: true }).first()).toBeVisible()
  await expect(log.getByText('Maren Voss').first()).toBeVisible()
  await page.getByLabel('Deed').click()
  await page.getByRole('option', { name: 'invited', exact: true }).click()
  await expect(log.getByRole('listitem')).toHaveCount(1)
  await page.goto('/settings/audit?what=sign-in+failed&text=rina')
  await expect(log.getByText('not signed in').first()).toBeVisible()
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Export as JSON Lines' }).click()
  const stream = await (await download).createReadStream()
  const chunks: Buffer[] = []
  for await (const chunk of stream) chunks.push(chunk as Buffer)
  const lines = Buffer.concat(chunks).toString('utf8').trim().split('\n')
  for (const line of lines) expect(JSON.parse(line)).toMatchObject({ what: 'sign-in failed', subject: expect.stringContaining('rina') })
  expect(JSON.stringify((await api('GET', '/api/v1/audit?limit=1000')).body)).not.toMatch(/two blue kettles|argon2id|rappel_[\w-]{30}/)
})

/** Lets the sessions of everybody be as if something of them were a day old. */
async function forget(what: 'proved_at' | 'last_seen_at'): Promise<void> {
  const { execFileSync } = await import('node:child_process')
  const { secret } = await import('./installation')
  execFileSync('psql', [secret('database-url'), '-qc', `update rappel.session set ${what} = now() - interval '1 day'`])
}

test('people are pasted from a spreadsheet: who they would be stands there before they are added', async ({ page }) => {
  await signIn(page)
  await page.goto('/people')
  await page.getByRole('button', { name: 'Add several' }).click()
  const form = page.getByRole('form', { name: 'Add several' })
  const rows = [
    ['Name', 'E-mail', 'Team', 'Manager', 'Floor'],
    ['Petra Lund', 'petra.lund@ternsay-ferries.example', 'Yard', 'Omar Vance', '2'],
    ['Omar Vance', 'omar.vance@ternsay-ferries.example', 'Yard', 'Maren Voss', '2'],
    ['Nobody', 'not an address', '', '', ''],
  ]
  await form.getByLabel('Rows of a spreadsheet, or addresses').fill(rows.map((row) => row.join('\t')).join('\n'))
  const list = form.getByRole('list', { name: 'Who they would be' })
  await expect(list.getByRole('listitem')).toHaveText([/Petra Lund.*Yard.*to Omar Vance.*new/, /Omar Vance.*to Maren Voss.*new/])
  await expect(form).toContainText('Row 4: “not an address” is not an e-mail address.')
  await expect(form).toContainText('Not taken: Floor.')
  await form.getByRole('button', { name: 'Add 2 people' }).click()
  await expect(page.getByText('2 people are added.')).toBeVisible()
  await expect(page.getByRole('list', { name: 'People' })).toContainText('Petra Lund')
  for (const name of ['petra.lund', 'omar.vance']) await api('POST', `/api/v1/people/${name}@ternsay-ferries.example/deactivate`, {})
})
