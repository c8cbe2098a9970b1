import PostalMime from 'postal-mime'
import { attachedImages, bytesOf, cleanMailHtml, withImagesInPlace } from './mail-html'

/** A mail as it is shown: its HTML cleaned, with its images in their place. */
export interface ReadMail {
  readonly subject: string
  readonly from: string | null
  readonly to: readonly string[]
  readonly cc: readonly string[]
  readonly html: string
  readonly text: string
  readonly files: readonly { readonly name: string; readonly size: number }[]
  readonly headers: readonly { readonly name: string; readonly value: string }[]
}

/** How deep the parts of a mail may stand in one another, and how long its headers may be; what passes it is not taken apart. */
const MOST_NESTED = 30
const MOST_HEADERS = 1_000_000

/** Reads a mail from its source (RFC 5322, MIME); one that cannot be taken apart is null. */
export async function readMail(source: string): Promise<ReadMail | null> {
  const parsed = await PostalMime.parse(source, { maxNestingDepth: MOST_NESTED, maxHeadersSize: MOST_HEADERS }).catch(() => null)
  if (!parsed) return null
  return {
    subject: parsed.subject ?? '',
    from: parsed.from?.address ? `${parsed.from.name} <${parsed.from.address}>` : null,
    to: (parsed.to ?? []).map((a) => a.address ?? ''),
    cc: (parsed.cc ?? []).map((a) => a.address ?? ''),
    html: cleanMailHtml(withImagesInPlace(parsed.html ?? '', attachedImages(parsed.attachments))),
    text: parsed.text ?? '',
    files: parsed.attachments.filter((a) => a.disposition !== 'inline').map((a) => ({ name: a.filename ?? 'a file', size: bytesOf(a).byteLength })),
    headers: parsed.headers.map((h) => ({ name: h.key, value: h.value })),
  }
}
