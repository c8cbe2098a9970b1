import { stopDemo } from './installation'

export default async function teardown(): Promise<void> {
  await stopDemo()
}
