import { fileTypeFromBuffer } from 'file-type'
import { oneLine } from '@/core/message/text'
import { readSettings } from '@/store/settings'
import { pool } from './environment'

/** Most bytes of one file, as Settings say. */
export const mostOfFile = async (): Promise<number> => (await readSettings(pool())).fileSize * 1_000_000

const TEXT_TYPES: Readonly<Record<string, string>> = { csv: 'text/csv', ics: 'text/calendar' }

/** A file's media type, found from its content and never from what the sender says; text is never taken for a page or script. */
export async function typeOf(content: Uint8Array, name: string): Promise<string> {
  const found = await fileTypeFromBuffer(content)
  if (found) return found.mime
  if (!isText(content)) return 'application/octet-stream'
  return TEXT_TYPES[name.slice(name.lastIndexOf('.') + 1).toLowerCase()] ?? 'text/plain'
}

function isText(content: Uint8Array): boolean {
  if (content.includes(0)) return false
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(content)
    return true
  } catch {
    return false
  }
}

/** A file's name as it is kept: without folders and control characters, at most 200 characters; null where nothing is left. */
export function fileName(given: string | null): string | null {
  const name = oneLine(given ?? '')
    .split(/[\\/]/)
    .pop()
    ?.trim()
    .slice(0, 200)
  return name || null
}

/** A file as an answer: always for saving, never shown in the application's own origin (RFC 6266). */
export function fileResponse(file: { name: string; type: string; content: Uint8Array }): Response {
  const plain = file.name.replaceAll(/[^\x20-\x7e]|["\\%]/g, '_')
  return new Response(new Uint8Array(file.content), {
    headers: {
      'content-type': file.type,
      'content-disposition': `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(file.name)}`,
      'content-security-policy': "default-src 'none'; sandbox",
    },
  })
}
