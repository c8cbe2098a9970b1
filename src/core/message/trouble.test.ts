import { type Failures, type Standing, troubleMail } from './trouble'

const ABOUT = { organisation: 'Harbour Office', baseUrl: 'https://rappel.example' }
const failures = (parts: Partial<Failures> = {}): Failures => ({
  workflow: 'Claim told',
  runs: 1,
  run: { id: 7, title: 'HV-001', reason: 'No such field.' },
  messages: 0,
  message: null,
  notices: 0,
  notice: null,
  ...parts,
})
const broken: Standing = { key: 'workflow 1', what: '“Trip told” cannot do what it says', why: 'There is no group Crew.', path: '/workflows/Trip%20told' }
const undelivered = { subject: 'A claim', run: 9, reason: 'bo@x.example: 550 no such user' }

test('nothing is told where nothing is wrong', () => {
  expect(troubleMail([], [], ABOUT)).toBeNull()
  expect(troubleMail([failures({ runs: 0, run: null })], [], ABOUT)).toBeNull()
})

test('one failure is told by name, record, reason and page', () => {
  const mail = troubleMail([failures()], [], ABOUT)
  expect(mail?.subject).toBe('Rappel: “Claim told” failed')
  expect(mail?.text).toContain('“Claim told” failed\nFor “HV-001”: No such field.\nhttps://rappel.example/runs/7\n')
  expect(mail?.html).toContain('<a href="https://rappel.example/runs/7">')
  expect(mail?.text).toContain('In Rappel at Harbour Office')
  expect(mail?.text).toContain('at most once in an hour')
})

test('what stands comes first, then what failed most; the subject says the first and how many more', () => {
  const mail = troubleMail([failures(), failures({ workflow: 'Other', runs: 12, messages: 3, message: undelivered })], [broken], ABOUT)
  expect(mail?.subject).toBe('Rappel: “Trip told” cannot do what it says, and 3 more')
  const heads = mail?.text.split('\n\n').map((paragraph) => paragraph.split('\n')[0])
  expect(heads?.slice(1, 5)).toEqual(['“Trip told” cannot do what it says', '“Other” failed 12 times', '“Other”: 3 messages were not delivered', '“Claim told” failed'])
  expect(mail?.text).toContain('Last “A claim”: bo@x.example: 550 no such user\nhttps://rappel.example/runs/9')
})

test('mail of no one workflow is called so, and leads to what failed', () => {
  const mail = troubleMail([failures({ workflow: null, runs: 0, run: null, messages: 1, message: { ...undelivered, run: null } })], [], ABOUT)
  expect(mail?.text).toContain(
    'Mail of several workflows: a message was not delivered\nIt is “A claim”: bo@x.example: 550 no such user\nhttps://rappel.example/messages?state=failed',
  )
})

test('whatever names and reasons hold, the mail stays small, one line each, and no HTML of theirs (RFC 5322, 2.2; 2.1.1 by the mailer)', () => {
  const hostile = `<img src=x onerror=alert(1)>\r\nBcc: all@x.example\u0000${'long '.repeat(50_000)}`
  const many = Array.from({ length: 500 }, (_, i) => failures({ workflow: `${hostile}${i}`, run: { id: i, title: hostile, reason: hostile } }))
  const mail = troubleMail(many, [{ key: 'x', what: hostile, why: hostile, path: '/' }], { ...ABOUT, organisation: hostile })
  expect(mail?.subject).not.toMatch(/[\r\n\0]/)
  expect(mail?.subject.length).toBeLessThan(200)
  expect(mail?.html).not.toContain('<img')
  expect(mail?.html.length).toBeLessThan(60_000)
  expect(mail?.text).toContain('And 471 more:\nhttps://rappel.example/')
  expect(mail?.text.split('\n').filter((line) => line.startsWith('Bcc'))).toEqual([])
})

test('notices that a channel did not take are told by title, channel and reason', () => {
  const notice = { title: 'MV Tern cannot sail', channel: 'Quays', run: 11, reason: '410 Gone' }
  const mail = troubleMail([failures({ runs: 0, run: null, notices: 2, notice })], [], ABOUT)
  expect(mail?.subject).toBe('Rappel: “Claim told”: 2 notices were not given')
  expect(mail?.text).toContain('Last “MV Tern cannot sail”, to the channel Quays: 410 Gone\nhttps://rappel.example/runs/11\n')
})
