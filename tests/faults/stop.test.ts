import { spawn } from 'node:child_process'
import { once } from 'node:events'

/** Starts a process that stops as `stop` says, and tells once it can be stopped. */
async function started(stop: string) {
  const program = `import { onStop } from './src/process.ts'; setInterval(() => {}, 1_000); onStop(${stop}, 300); process.send?.('ready')`
  const child = spawn(process.execPath, ['--import', 'tsx', '--input-type=module', '-e', program], { stdio: ['ignore', 'ignore', 'pipe', 'ipc'] })
  const ended = once(child, 'exit')
  await Promise.race([once(child, 'message'), ended])
  return { child, ended }
}

const HANGS = '() => new Promise(() => {})'

test('a process that is told to stop ends, whatever it waits for: with 0 where it came to its end, else with 1', async () => {
  const clean = await started('async () => {}')
  clean.child.kill('SIGTERM')
  expect(await clean.ended).toEqual([0, null])
  const hanging = await started(HANGS)
  hanging.child.kill('SIGTERM')
  expect(await hanging.ended).toEqual([1, null])
  const failing = await started(`() => Promise.reject(new Error('the connection broke'))`)
  failing.child.kill('SIGINT')
  expect(await failing.ended).toEqual([1, null])
})

test('one whose starter is gone ends as well', async () => {
  const { child, ended } = await started(HANGS)
  child.disconnect()
  expect(await ended).toEqual([1, null])
})
