import { rmSync } from 'node:fs'
import { HOME, isDemoUp, startDemo } from './installation'

export default async function setup(): Promise<void> {
  if (await isDemoUp()) return
  if (!process.env.RAPPEL_TEST_KEEP && !process.env.RAPPEL_TEST_PREPARED) rmSync(HOME, { recursive: true, force: true })
  await startDemo()
}
