import { createTransport } from './server'
import { Way } from './way'

test('a server is left alone after ten messages in a row that did not reach it, ever longer, until it answers', async () => {
  let now = 0
  const transport = createTransport('smtp://127.0.0.1:1', 1, 500)
  const way = new Way('gone', transport, undefined, () => now)
  for (let i = 0; i < 9; i++) way.note(false)
  expect(way.isOpen()).toBe(true)
  way.note(true)
  for (let i = 0; i < 10; i++) way.note(false)
  expect(way.isOpen()).toBe(false)
  const rests: number[] = []
  for (let tries = 0; tries < 5; tries++) {
    const from = now
    while (!(await isAsked(way))) now += 100
    rests.push(now - from)
  }
  expect(rests).toEqual([1_000, 2_000, 4_000, 5_000, 5_000])
  way.note(true) // a message that was under way reached it after all
  expect(way.isOpen()).toBe(true)
  transport.close()
})

/** Whether a look asks the server. */
async function isAsked(way: Way): Promise<boolean> {
  let asked = false
  const { verify } = way
  way.verify = () => {
    asked = true
    return verify.call(way)
  }
  await way.look()
  way.verify = verify
  return asked
}
