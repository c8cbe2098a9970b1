import { stopDemo } from './installation'

export default async function teardown(): Promise<void> {
  if (!process.env.RAPPEL_TEST_KEEP) await stopDemo()
}
