import { randomBytes } from 'node:crypto'
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { onStop } from '@/process'
import { PostRoom } from './post-room'

const { RAPPEL_HOME = '.rappel', RAPPEL_SMTP_PORT = '4172', RAPPEL_POST_ROOM_PORT = '4171' } = process.env

/** The token that writes want, kept where only the owner of the home reads it. */
function tokenIn(folder: string): string {
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  chmodSync(folder, 0o700)
  const file = join(folder, 'token')
  if (!existsSync(file)) writeFileSync(file, `${randomBytes(24).toString('base64url')}\n`, { mode: 0o600 })
  return readFileSync(file, 'utf8').trim()
}

const folder = join(RAPPEL_HOME, 'post-room')
const room = await PostRoom.open({ folder, token: tokenIn(folder), smtpPort: Number(RAPPEL_SMTP_PORT), httpPort: Number(RAPPEL_POST_ROOM_PORT) })
onStop(() => room.close())
process.send?.('ready')
