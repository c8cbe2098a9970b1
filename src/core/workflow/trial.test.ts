import { nothing, type PlannedMessage } from './plan'
import { trialPlan } from './trial'

const me = { person: 7, address: 'me@x.example', name: 'Me' }
const message: PlannedMessage = {
  action: 'tell',
  path: '/actions/0',
  about: { table: 'claims', id: 1 },
  from: { address: 's@x.example', name: null },
  replyTo: null,
  to: [{ address: 'a@x.example', name: null }],
  cc: [{ address: '<b>@x.example', name: null }],
  bcc: [],
  priority: 'normal',
  subject: 'S',
  html: '<html><body class="c"><p>B</p></body></html>',
  text: 'B',
  attachments: [],
}

test('a trial’s mail goes to whoever armed it, saying on top, escaped, to whom it would have gone', () => {
  const [tried] = trialPlan({ ...nothing('not looked at', ''), messages: [message] }, me).messages
  expect(tried).toMatchObject({ to: [{ address: 'me@x.example', name: 'Me' }], cc: [], bcc: [], subject: 'S' })
  expect(tried?.text).toBe('Trial: this would have gone to a@x.example; Cc <b>@x.example. It went to you alone.\n\nB')
  expect(tried?.html).toMatch(/^<html><body class="c"><p style="[^"]+">Trial: .*Cc &lt;b&gt;@x\.example.*<\/p>\n<p>B<\/p>/)
})

test('writes stay, notices come to oneself', () => {
  const write = { do: 'update' as const, path: '/actions/1', table: 'claims', id: 1, set: { status: 'New' }, was: { status: null } }
  const notice = { path: '/actions/2', channel: 'Board', people: [3], to: ['Ines'], title: 'T', text: 'N' }
  const plan = trialPlan({ ...nothing('not looked at', ''), writes: [write], notices: [notice] }, me)
  expect(plan.writes).toEqual([write])
  expect(plan.notices).toEqual([{ ...notice, channel: null, people: [7], to: ['Me'], text: 'Trial: this would have gone to the channel Board, Ines.\n\nN' }])
})
