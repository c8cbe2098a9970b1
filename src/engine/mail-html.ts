import type { Attachment } from 'postal-mime'
import sanitizeHtml from 'sanitize-html'
import { replaceImages } from '@/core/message/images'

/** Mail's HTML as it may be shown: no script, no forms, nothing fetched from elsewhere; links open apart. */
export function cleanMailHtml(html: string): string {
  return sanitizeHtml(html, {
    allowedTags: [...sanitizeHtml.defaults.allowedTags, 'img', 'h1', 'h2'],
    allowedAttributes: { ...sanitizeHtml.defaults.allowedAttributes, '*': ['style', 'align', 'width'], a: ['href', 'target', 'rel'] },
    allowedSchemes: ['http', 'https', 'mailto', 'tel'],
    allowedSchemesByTag: { img: ['data'] },
    transformTags: { a: sanitizeHtml.simpleTransform('a', { target: '_blank', rel: 'noopener noreferrer' }) },
  })
}

/** An image that goes with a mail. */
export interface InlineImage {
  readonly type: string
  readonly content: Uint8Array
}

/** HTML with the images that go with it in their place (RFC 2392), each as a data URL; they come by content id. */
export function withImagesInPlace(html: string, images: ReadonlyMap<string, InlineImage>): string {
  const urlOf = ({ type, content }: InlineImage) => `data:${type};base64,${Buffer.from(content).toString('base64')}`
  return replaceImages(
    html,
    (id) => {
      const image = images.get(id)
      return image && urlOf(image)
    },
    '',
  )
}

/** The bytes of what came along with a mail. */
export const bytesOf = ({ content }: Attachment): Uint8Array => (typeof content === 'string' ? Buffer.from(content) : new Uint8Array(content))

/** What came along with a mail, by content id. */
export function attachedImages(attachments: readonly Attachment[]): Map<string, InlineImage> {
  return new Map(attachments.map((a) => [(a.contentId ?? '').replaceAll(/^<|>$/g, ''), { type: a.mimeType, content: bytesOf(a) }]))
}
