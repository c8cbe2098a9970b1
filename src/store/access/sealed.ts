import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto'
import { closeSync, fsyncSync, linkSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs'
import { join } from 'node:path'
import { codeOf } from '@/core/must'

/** What secrets in the database are sealed with: 256 bits that are kept outside it. */
const KEY_BYTES = 32
const NONCE_BYTES = 12
const TAG_BYTES = 16
const MARK = 'sealed:'

let kept: { from: string; key: Buffer } | undefined

/** Where the key is: in `RAPPEL_KEY` (base64url), else in the file `key` of the home. */
const keyFile = () => join(process.env.RAPPEL_HOME ?? '.rappel', 'key')

/**
 * The key of this installation.
 * @throws Error saying where it is looked for, when there is none or it is no key
 */
function key(): Buffer {
  const from = process.env.RAPPEL_KEY ?? keyFile()
  if (kept?.from === from) return kept.key
  const text = process.env.RAPPEL_KEY ?? readKeyFile()
  const bytes = Buffer.from(text ?? '', 'base64url')
  if (bytes.length !== KEY_BYTES)
    throw new Error(`The key that secrets are sealed with is not at ${keyFile()}, nor in RAPPEL_KEY. Copy the file “key” from the home of the installation's first machine.`)
  kept = { from, key: bytes }
  return bytes
}

function readKeyFile(): string | null {
  try {
    return readFileSync(keyFile(), 'utf8').trim()
  } catch {
    return null
  }
}

/** Makes the key where there is none yet, readable by its owner only. */
export function ensureKey(): void {
  if (process.env.RAPPEL_KEY || readKeyFile()) return
  const written = `${keyFile()}.${process.pid}`
  const file = openSync(written, 'w', 0o600)
  writeSync(file, `${randomBytes(KEY_BYTES).toString('base64url')}\n`)
  fsyncSync(file) // a power cut leaves the whole of it, or none
  closeSync(file)
  if (readKeyFile() === '') rmSync(keyFile())
  try {
    linkSync(written, keyFile()) // of several that start at once one makes it
  } catch (error) {
    if (codeOf(error) !== 'EEXIST') throw error
  } finally {
    rmSync(written)
  }
}

/** A secret as the database may hold it (AES-256-GCM, NIST SP 800-38D). */
export function seal(secret: string): string {
  const nonce = randomBytes(NONCE_BYTES)
  const cipher = createCipheriv('aes-256-gcm', key(), nonce)
  const sealed = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()])
  return MARK + Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64url')
}

/** Whether a text is a sealed secret. */
export const isSealed = (text: string) => text.startsWith(MARK)

/** A sealed secret opened; null where it was sealed with another key, or altered. */
export function unseal(text: string): string | null {
  if (!isSealed(text)) return null
  const bytes = Buffer.from(text.slice(MARK.length), 'base64url')
  try {
    const cipher = createDecipheriv('aes-256-gcm', key(), bytes.subarray(0, NONCE_BYTES))
    cipher.setAuthTag(bytes.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES))
    return Buffer.concat([cipher.update(bytes.subarray(NONCE_BYTES + TAG_BYTES)), cipher.final()]).toString('utf8')
  } catch (error) {
    if (!kept) throw error // there is no key at all
    return null
  }
}
