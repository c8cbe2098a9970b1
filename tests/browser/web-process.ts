import { type ChildProcess, spawn } from 'node:child_process'
import { comesUp } from '../support/servers/ports'
import { BASE, HOME } from './installation'

/** What web processes are started with, by the command of a unit. */
export const webEnvironment = (more: Readonly<Record<string, string>> = {}) => ({
  ...process.env,
  RAPPEL_HOME: HOME,
  RAPPEL_BASE_URL: BASE,
  RAPPEL_TRUST_PROXY: 'loopback',
  LOG_LEVEL: 'silent',
  ...more,
})

/** One more web process of the installation, on a port of its own. */
export async function startWeb(port: number, more: Readonly<Record<string, string>> = {}): Promise<ChildProcess> {
  const child = spawn(process.execPath, ['scripts/web.mjs'], { env: webEnvironment({ RAPPEL_PORT: String(port), ...more }), stdio: 'ignore' })
  await comesUp(`The web process on ${port}`, () =>
    fetch(`http://127.0.0.1:${port}/api/v1/health`).then(
      () => true,
      () => false,
    ),
  )
  return child
}

/** Settles when a process is gone. */
export const ended = (child: ChildProcess) => new Promise((resolve) => (child.exitCode === null ? child.once('exit', resolve) : resolve(null)))
