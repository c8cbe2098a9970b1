import { open } from 'node:fs/promises'

/** Encodings of text files that are told apart. */
export type Encoding = 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252'

const LOOKED_AT = 1 << 20

/** The first bytes of a file. */
export async function firstBytes(path: string, most = LOOKED_AT): Promise<Buffer> {
  const file = await open(path)
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(most), 0, most, 0)
    return buffer.subarray(0, bytesRead)
  } finally {
    await file.close()
  }
}

/** Recognises a text's encoding: by its byte order mark (Unicode 23.8), by zero bytes as UTF-16 has them, by whether it is UTF-8 (RFC 3629); else Windows-1252, which takes any bytes. */
export function recogniseEncoding(bytes: Buffer): Encoding {
  if (bytes.length >= 2 && bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le'
  if (bytes.length >= 2 && bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be'
  const zeros = [0, 0]
  const looked = bytes.subarray(0, 4_096)
  looked.forEach((byte, i) => {
    if (byte === 0) zeros[i % 2] = (zeros[i % 2] ?? 0) + 1
  })
  const half = looked.length / 2
  if ((zeros[1] ?? 0) > half * 0.3) return 'utf-16le'
  if ((zeros[0] ?? 0) > half * 0.3) return 'utf-16be'
  return isUtf8(bytes) ? 'utf-8' : 'windows-1252'
}

/** Whether bytes are UTF-8, but for a character that is cut off at their end. */
function isUtf8(bytes: Buffer): boolean {
  for (let cut = 0; cut < 4; cut++) {
    try {
      new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(0, bytes.length - cut))
      return true
    } catch {
      // the last character may be cut off; the next round leaves a byte out
    }
  }
  return false
}
